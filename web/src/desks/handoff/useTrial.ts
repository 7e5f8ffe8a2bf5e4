import { onBeforeUnmount, ref, type Ref, watch } from "vue";

import { api, finished, Problem, type Schemas } from "@/api/client";
import { useRun } from "@/shot/run";
import { useShot } from "@/shot/store";

/** Choices that follow one another closely are measured together. */
const REST_MS = 600;

/** What forms would be like, measured on a few frames whenever they change, while that is ``possible``. */
export function useTrial(body: Ref<Schemas["HandOffIn"]>, possible: Ref<boolean>) {
  const shot = useShot();
  const run = useRun();
  const trials = ref<(Schemas["TrialOut"] | null)[]>([]);
  const measuring = ref(false);
  /** What was measured already, by what was asked for: a form that did not change is not written again. */
  const known = new Map<string, Schemas["TrialOut"]>();
  const keyOf = (form: Schemas["FormIn"]) =>
    JSON.stringify([run.run?.id, body.value.layers, body.value.frame_set, form]);
  const tell = () => (trials.value = body.value.forms.map((form) => known.get(keyOf(form)) ?? null));
  let asked = 0;
  let timer = 0;
  async function measure() {
    const number = ++asked;
    const id = run.run?.id;
    const forms = body.value.forms.filter((form) => !known.has(keyOf(form)));
    if (!id || !possible.value || !forms.length) return;
    const keys = forms.map(keyOf);
    measuring.value = true;
    try {
      const found = await finished<Schemas["TrialOut"][]>(
        shot.id,
        () =>
          api.POST("/api/runs/{run_id}/trial", { params: { path: { run_id: id } }, body: { ...body.value, forms } }),
        () => number === asked,
      );
      found?.forEach((one, at) => known.set(keys[at] ?? "", one));
      if (found) tell();
    } catch (error) {
      // Sizes are only told; what is wrong with a form is told when it is written.
      if (!(error instanceof Problem)) throw error;
    } finally {
      if (number === asked) measuring.value = false;
    }
  }
  watch(
    [() => JSON.stringify(body.value), possible, () => run.run?.id],
    () => {
      tell();
      window.clearTimeout(timer);
      timer = window.setTimeout(() => void measure(), REST_MS);
    },
    { immediate: true },
  );
  onBeforeUnmount(() => {
    window.clearTimeout(timer);
    asked += 1;
  });
  return { trials, measuring };
}
