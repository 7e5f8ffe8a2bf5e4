import { computed, reactive, watch } from "vue";

import type { Ghosts } from "@/picture/request";

const KEPT = "zeitbild-time-looking";

/** How this person looks at what moves; kept in this browser, in no document and no file. */
export const looking = reactive({
  ghosts: false,
  before: 2,
  after: 2,
  every: 1,
  strength: 0.3,
  way: true,
  curve: true,
});
try {
  Object.assign(looking, JSON.parse(localStorage.getItem(KEPT) ?? "{}"));
} catch {
  // What was kept is nothing of ours: it is begun anew.
}
watch(looking, () => localStorage.setItem(KEPT, JSON.stringify(looking)));

export const ghosts = computed<Ghosts | null>(() =>
  looking.ghosts && looking.before + looking.after > 0
    ? { before: looking.before, after: looking.after, every: looking.every, strength: looking.strength }
    : null,
);
