import { computed, readonly, ref, shallowRef } from "vue";

import { api, Problem, type Schemas } from "./client";
import { useSession } from "./session";

/** Between two questions, and how long an answer may take, in ms: whatever ends is noticed within five seconds. */
const EVERY_MS = 2000;
const PATIENCE_MS = 2500;

const answers = ref(true);
const workers = shallowRef<Schemas["WorkerOut"][] | null>(null);
/** Counts how often the server came back, for those who have something to do again then. */
const returned = ref(0);
let timer = 0;

async function look() {
  const late = new AbortController();
  const patience = window.setTimeout(() => late.abort(), PATIENCE_MS);
  try {
    const { data } = await api.GET("/api/studio", { signal: late.signal });
    workers.value = data?.workers ?? [];
    if (!answers.value) returned.value += 1;
    answers.value = true;
  } catch (error) {
    if (error instanceof Problem && error.status === 401) useSession().lost();
    // What it answered with is no matter here, as long as it answers.
    else if (!(error instanceof Problem) || error.status === 0) answers.value = false;
  } finally {
    window.clearTimeout(patience);
  }
}

async function ask() {
  if (useSession().name.value && document.visibilityState === "visible") await look();
  timer = window.setTimeout(() => void ask(), EVERY_MS);
}

/** Begins to ask, once for the page. */
export function watchStudio() {
  if (timer) return;
  timer = -1;
  void ask();
  document.addEventListener("visibilitychange", () => document.visibilityState === "visible" && void look());
}

/** Whether the server answers and who computes. */
export function useStudio() {
  return {
    answers: readonly(answers),
    returned: readonly(returned),
    workers,
    idle: computed(() => answers.value && workers.value?.length === 0),
  };
}
