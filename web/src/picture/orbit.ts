/** Moving a camera by dragging on the picture: pure functions on position and look-at point. */

import type { Triple } from "@/shot/document";

export interface Aim {
  position: Triple;
  look_at: Triple;
}

/** A camera's lens, as the document has it. */
export interface Lens extends Aim {
  projection: string;
  lens_by: string;
  angle: number;
  focal_length: number;
  gate: number;
  span: number;
}

const RADIANS = Math.PI / 180;
const TURN_PER_PIXEL = 0.4 * RADIANS;
const STEEPEST = 89 * RADIANS;

function minus(a: Triple, b: Triple): Triple {
  return [a[0] - b[0], a[1] - b[1], a[2] - b[2]];
}
function tidy(a: Triple): Triple {
  return a.map((one) => Math.round(one * 100) / 100) as Triple;
}

/** Turn about the look-at point by a drag of dx, dy pixels. */
export function orbit(aim: Aim, dx: number, dy: number): Aim {
  const [x, y, z] = minus(aim.position, aim.look_at);
  const distance = Math.hypot(x, y, z);
  const azimuth = Math.atan2(x, z) - dx * TURN_PER_PIXEL;
  const elevation = Math.max(-STEEPEST, Math.min(STEEPEST, Math.asin(y / distance) + dy * TURN_PER_PIXEL));
  const level = distance * Math.cos(elevation);
  const [tx, ty, tz] = aim.look_at;
  return {
    look_at: aim.look_at,
    position: tidy([
      tx + level * Math.sin(azimuth),
      ty + distance * Math.sin(elevation),
      tz + level * Math.cos(azimuth),
    ]),
  };
}

/** Units of the set that a pixel covers at the look-at point, on a picture so many pixels wide. */
export function unitsPerPixel(camera: Lens, width: number): number {
  if (camera.projection === "orthographic") return camera.span / width;
  const distance = Math.hypot(...minus(camera.look_at, camera.position));
  const halfWidth =
    camera.lens_by === "focal length"
      ? camera.gate / (2 * camera.focal_length)
      : Math.tan((camera.angle / 2) * RADIANS);
  return (2 * distance * halfWidth) / width;
}

/** Move camera and look-at point together so that what is in the middle follows the pointer. */
export function pan(aim: Aim, dx: number, dy: number, unit: number): Aim {
  const [x, y, z] = minus(aim.look_at, aim.position);
  const distance = Math.hypot(x, y, z);
  const level = Math.hypot(x, z) || 1e-9;
  const right: Triple = [-z / level, 0, x / level];
  const up: Triple = [(-x * y) / (level * distance), level / distance, (-z * y) / (level * distance)];
  const shift = right.map((one, at) => (-dx * one + dy * (up[at] ?? 0)) * unit) as Triple;
  const move = (a: Triple): Triple => tidy([a[0] + shift[0], a[1] + shift[1], a[2] + shift[2]]);
  return { position: move(aim.position), look_at: move(aim.look_at) };
}

/** Go nearer to the look-at point or away from it; ``amount`` is the wheel's turn in pixels. */
export function dolly(aim: Aim, amount: number): Aim {
  const factor = Math.exp(amount * 0.001);
  const [x, y, z] = minus(aim.position, aim.look_at);
  if (Math.hypot(x, y, z) * factor < 1) return aim;
  const [tx, ty, tz] = aim.look_at;
  return { look_at: aim.look_at, position: tidy([tx + x * factor, ty + y * factor, tz + z * factor]) };
}
