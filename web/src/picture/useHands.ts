import { computed, onBeforeUnmount, ref, type Ref, shallowRef, watch } from "vue";

import { answer, api, Problem, type Schemas } from "@/api/client";
import { type Box } from "./snapping";
import type { Element, Triple } from "@/shot/document";
import { groupsAround } from "@/shot/groups";
import { useShot } from "@/shot/store";

export type Lies = Schemas["LiesOut"];

/** How long after an edit it is asked anew where things lie, in ms. */
const AFTER = 120;

/**
 * Where elements lie on the picture, and what hands do to those that are chosen. Positions are kept to a thousandth of a unit: what
 * snaps to a pixel stays there.
 */
export function useHands(chosen: Ref<Element[]>) {
  const shot = useShot();
  const lies = shallowRef(new Map<string, Lies>());
  /** What a drag that is under way has moved boxes by. */
  const moving = ref<[number, number]>([0, 0]);
  /** What is under a hand, as it was when that took hold of it. */
  let before: { path: string; position: Triple; across: Triple; down: Triple }[] | null = null;
  let timer = 0;
  let number = 0;

  async function ask() {
    const document = shot.draft;
    if (!document || !chosen.value.length) return;
    const mine = ++number;
    try {
      const found = await answer(
        api.POST("/api/shots/{shot_id}/lies", {
          params: { path: { shot_id: shot.id } },
          body: { document: document as unknown as Record<string, never>, frame: shot.frame },
        }),
      );
      if (mine === number) lies.value = new Map((found as Lies[]).map((one) => [one.element, one]));
    } catch (error) {
      // A document that does not hold says so at its field; nothing can be taken hold of meanwhile.
      if (!(error instanceof Problem)) throw error;
      if (mine === number) lies.value = new Map();
    }
  }
  watch(
    [() => shot.draft, () => shot.frame, () => chosen.value.map((one) => one.id).join()],
    () => {
      window.clearTimeout(timer);
      // While a hand is on it the box goes with the hand.
      if (!before) timer = window.setTimeout(() => void ask(), AFTER);
    },
    { immediate: true },
  );
  onBeforeUnmount(() => window.clearTimeout(timer));

  function pathOf(element: Element): string {
    return `elements.${shot.draft?.elements.findIndex((one) => one.id === element.id) ?? -1}`;
  }
  function placementOf(element: Element) {
    // What moves is taken hold of where it is at this frame.
    const now = shot.seen?.elements.find((one) => one.id === element.id) ?? element;
    return now.placement as { position: Triple; rotation: Triple; scale: Triple };
  }
  /** What moves with a drag: not what is locked, nor what stands in a group that moves itself. */
  const movable = computed(() => {
    const all = shot.draft?.elements ?? [];
    const ids = new Set(chosen.value.map((one) => one.id));
    const within = (element: Element) => groupsAround(all, element).some((group) => ids.has(group.id));
    return chosen.value.filter((one) => !one.locked && !within(one) && lies.value.has(one.id));
  });
  const boxes = computed(() => {
    const [dx, dy] = moving.value;
    return movable.value.flatMap((one): Box[] => {
      const box = lies.value.get(one.id)?.box;
      return box ? [[box[0] + dx, box[1] + dy, box[2] + dx, box[3] + dy]] : [];
    });
  });
  /** Boxes of everything else, for meeting them. */
  const others = computed(() => {
    const ids = new Set(chosen.value.map((one) => one.id));
    return [...lies.value.values()].flatMap((one): Box[] => (one.box && !ids.has(one.element) ? [one.box as Box] : []));
  });

  function begin() {
    before = movable.value.flatMap((element) => {
      const own = lies.value.get(element.id);
      return own
        ? [
            {
              path: `${pathOf(element)}.placement.position`,
              position: placementOf(element).position,
              across: own.across as Triple,
              down: own.down as Triple,
            },
          ]
        : [];
    });
  }
  function positions(dx: number, dy: number): Record<string, Triple> {
    return Object.fromEntries(
      (before ?? []).map(({ path, position, across, down }) => [
        path,
        position.map(
          (value, k) => Math.round((value + dx * (across[k] ?? 0) + dy * (down[k] ?? 0)) * 1000) / 1000,
        ) as Triple,
      ]),
    );
  }
  const named = computed(() =>
    chosen.value.length === 1 ? (chosen.value[0]?.name ?? "") : `${chosen.value.length} elements`,
  );
  function moveBy(dx: number, dy: number) {
    moving.value = [dx, dy];
    for (const [path, position] of Object.entries(positions(dx, dy))) shot.edit(path, position, false);
  }
  function end() {
    const moved = moving.value.some((one) => one !== 0);
    before = null;
    if (moved) shot.editMany({}, `Move ${named.value}`);
    shift(...moving.value);
    moving.value = [0, 0];
    void ask();
  }
  /** Boxes go along at once; where they really are is asked for. */
  function shift(dx: number, dy: number) {
    const ids = new Set(movable.value.map((one) => one.id));
    lies.value = new Map(
      [...lies.value].map(([id, one]) => [
        id,
        ids.has(id) && one.box
          ? {
              ...one,
              box: [one.box[0] + dx, one.box[1] + dy, one.box[2] + dx, one.box[3] + dy] as Lies["box"],
              pivot: [one.pivot[0] + dx, one.pivot[1] + dy] as Lies["pivot"],
            }
          : one,
      ]),
    );
  }
  function nudge(dx: number, dy: number) {
    begin();
    const changes = positions(dx, dy);
    before = null;
    if (!Object.keys(changes).length) return;
    shift(dx, dy);
    shot.editMany(changes, `Nudge ${named.value}`);
  }
  /** Each by its own way, as one step. */
  function moveEach(moves: Map<string, [number, number]>, what: string) {
    const changes: Record<string, Triple> = {};
    for (const element of movable.value) {
      const own = lies.value.get(element.id);
      const [dx, dy] = moves.get(element.id) ?? [0, 0];
      if (!own || (!dx && !dy)) continue;
      changes[`${pathOf(element)}.placement.position`] = placementOf(element).position.map(
        (value, k) => Math.round((value + dx * (own.across[k] ?? 0) + dy * (own.down[k] ?? 0)) * 1000) / 1000,
      ) as Triple;
    }
    if (Object.keys(changes).length) shot.editMany(changes, what);
  }
  return { lies, movable, boxes, others, named, begin, moveBy, end, nudge, moveEach, pathOf, placementOf };
}

export type Hands = ReturnType<typeof useHands>;

/** The elements under a place of the picture, the nearest first; none if it cannot be told. */
export async function elementsAt(shot: ReturnType<typeof useShot>, x: number, y: number): Promise<string[]> {
  if (!shot.draft) return [];
  try {
    return await answer(
      api.POST("/api/shots/{shot_id}/pick", {
        params: { path: { shot_id: shot.id } },
        body: { document: shot.draft as unknown as Record<string, never>, frame: shot.frame, x, y },
      }),
    );
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    return [];
  }
}
