/** Drawing by hand on the picture: which element is drawn in, and how places on the picture become places in it. */
import { ref } from "vue";

import type { Lies } from "@/picture/useHands";
import type { Triple } from "@/shot/document";

/** The identity of the element that strokes go to; empty: none. */
export const drawnIn = ref("");

export type DrawnPoint = [number, number, number];

const turned = (about: 0 | 1 | 2, degrees: number, [x, y, z]: Triple): Triple => {
  const [c, s] = [Math.cos((degrees * Math.PI) / 180), Math.sin((degrees * Math.PI) / 180)];
  if (about === 0) return [x, c * y - s * z, s * y + c * z];
  if (about === 1) return [c * x + s * z, y, c * z - s * x];
  return [c * x - s * y, s * x + c * y, z];
};

/** A place of the picture (pixels of the raster) in units of an element from its place. */
export function placeIn(
  lies: Lies,
  placement: { rotation: Triple; scale: Triple },
  x: number,
  y: number,
): [number, number] {
  const [dx, dy] = [x - lies.pivot[0], y - lies.pivot[1]];
  let way = [0, 1, 2].map((at) => (lies.across[at] ?? 0) * dx + (lies.down[at] ?? 0) * dy) as Triple;
  // Back through its turns, the last one first.
  way = turned(2, -placement.rotation[2], way);
  way = turned(1, -placement.rotation[1], way);
  way = turned(0, -placement.rotation[0], way);
  return [way[0] / (placement.scale[0] || 1), way[1] / (placement.scale[1] || 1)];
}
