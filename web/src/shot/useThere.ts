import { computed, shallowRef, watch } from "vue";

import { oneAtATime } from "@/api/latest";

import type { Element } from "./document";
import { useShot } from "./store";
import { movingValues } from "./values";

/** Frames that are looked at; of longer shots the first of them. */
const MOST = 2000;

/** How much of each element is there at each frame: its switch and its opacity, and those of the groups that it stands in. */
export function useThere() {
  const shot = useShot();
  const since = shallowRef(0);
  const found = shallowRef(new Map<string, unknown[]>());
  const tracks = computed(() =>
    shot.moving.filter((one) => one.part.startsWith("elements.") && ["shown", "opacity"].includes(one.field)),
  );
  const look = oneAtATime(async () => {
    const document = shot.draft;
    const wanted = tracks.value.map((one) => one.path);
    if (!document || !wanted.length) {
      found.value = new Map();
      return;
    }
    const { first, last, handles } = document.timing;
    const start = first - handles;
    const frames = Array.from({ length: Math.min(last + handles - start + 1, MOST) }, (_, at) => start + at);
    const values = await movingValues(shot.id, document, frames, wanted);
    if (!values) return;
    since.value = start;
    found.value = new Map(values.map((one) => [one.path, one.values]));
  });
  watch([tracks, () => shot.draft?.timing], look, { immediate: true });

  const groups = computed(() => new Map((shot.draft?.elements ?? []).map((one) => [one.id, one])));
  const places = computed(() => new Map((shot.draft?.elements ?? []).map((one, at) => [one.id, at])));

  /** From 0 (not there) to 1. */
  function there(element: Element, frame: number): number {
    let share = 1;
    for (let one: Element | undefined = element; one; one = groups.value.get(one.inside)) {
      const path = `elements.${places.value.get(one.id) ?? -1}`;
      const at = frame - since.value;
      const shown = found.value.get(`${path}.shown`)?.[at] ?? one.shown;
      share *= shown ? Number(found.value.get(`${path}.opacity`)?.[at] ?? one.opacity) : 0;
    }
    return share;
  }
  return there;
}
