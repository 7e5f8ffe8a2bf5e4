import { onBeforeUnmount, ref, type Ref, shallowRef, watch } from "vue";

import { answer, api, Problem, type Schemas } from "@/api/client";
import { useShot } from "@/shot/store";

export type Marked = Schemas["MarkedOut"];
type Pair = [number, number];

/** How long after an edit it is asked anew where marks are, in ms; while a hand is on one nothing but the answer before is waited for. */
const AFTER = 60;

/** What hands take hold of in an element beside the whole, at the frame on show; nothing while ``wanted`` is false. */
export function useMarks(element: Ref<string>, wanted: Ref<boolean>) {
  const shot = useShot();
  const marks = shallowRef<Marked[]>([]);
  /** Whether they are those of the document as it is: what is worked out from a mark is wrong beside another document. */
  const settled = ref(false);
  let timer = 0;
  let under = false;
  let again = false;

  async function ask() {
    if (under) {
      again = true;
      return;
    }
    const document = shot.draft;
    if (!document || !wanted.value || !element.value) {
      marks.value = [];
      return;
    }
    under = true;
    try {
      const found = await answer(
        api.POST("/api/shots/{shot_id}/marks", {
          params: { path: { shot_id: shot.id } },
          body: {
            document: document as unknown as Record<string, never>,
            element: element.value,
            frame: shot.frame,
          },
        }),
      );
      marks.value = wanted.value ? (found as Marked[]) : [];
      settled.value = document === shot.draft;
    } catch (error) {
      // A document that does not hold says so at its field.
      if (!(error instanceof Problem)) throw error;
      marks.value = [];
    } finally {
      under = false;
      if (again) {
        again = false;
        void ask();
      }
    }
  }
  watch(
    [() => shot.draft, () => shot.frame, element, wanted],
    () => {
      settled.value = false;
      window.clearTimeout(timer);
      timer = window.setTimeout(() => void ask(), AFTER);
    },
    { immediate: true },
  );
  onBeforeUnmount(() => window.clearTimeout(timer));
  return { marks, settled };
}

/** What takes a way of the picture (pixels) back through four numbers [a, b; c, d]; nothing where they flatten everything. */
export function back([a, b, c, d]: [number, number, number, number], [x, y]: Pair): Pair | null {
  const whole = a * d - b * c;
  if (Math.abs(whole) < 1e-12) return null;
  return [(d * x - b * y) / whole, (a * y - c * x) / whole];
}

/** A place of the picture in a mark's own places, as the document has them. */
export function placeOn(mark: Marked, [x, y]: Pair): Pair | null {
  const [a, b, c, d, e, f] = mark.own;
  return back([a, b, d, e], [x - c, y - f]);
}

/** Where an event is, in pixels of the raster. */
export function pixelOf(event: PointerEvent, scale: number): Pair {
  const svg = event.currentTarget as SVGElement;
  const frame = (svg.ownerSVGElement ?? svg).getBoundingClientRect();
  return [(event.clientX - frame.left) * scale, (event.clientY - frame.top) * scale];
}
