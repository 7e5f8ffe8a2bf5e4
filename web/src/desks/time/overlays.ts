import { computed, reactive, watch } from "vue";

import type { Ghosts } from "@/picture/request";

const KEPT = "zeitbild-time-overlays";

/** How this person looks at what moves; kept in this browser, in no document and no file. */
export const overlays = reactive({
  ghosts: false,
  before: 2,
  after: 2,
  every: 1,
  strength: 0.3,
  way: true,
  curve: true,
});
try {
  const kept = JSON.parse(localStorage.getItem(KEPT) ?? "{}") as Record<string, unknown>;
  for (const [name, value] of Object.entries(overlays))
    if (typeof kept[name] === typeof value) Object.assign(overlays, { [name]: kept[name] });
} catch {
  // What was kept is nothing of ours: it is begun anew.
}
watch(overlays, () => localStorage.setItem(KEPT, JSON.stringify(overlays)));

export const ghosts = computed<Ghosts | null>(() =>
  overlays.ghosts && overlays.before + overlays.after > 0
    ? { before: overlays.before, after: overlays.after, every: overlays.every, strength: overlays.strength }
    : null,
);
