/** Moving boxes on the picture so that edges and middles meet: pure functions, in pixels of the raster. */

export type Box = [left: number, top: number, right: number, bottom: number];

export interface Snap {
  dx: number;
  dy: number;
  /** Where the box met something: lines across the whole picture. */
  guides: { x?: number; y?: number }[];
}

/** The box round several. */
export function around(boxes: Box[]): Box | null {
  if (!boxes.length) return null;
  const at = (k: number) => boxes.map((box) => box[k] ?? 0);
  return [Math.min(...at(0)), Math.min(...at(1)), Math.max(...at(2)), Math.max(...at(3))];
}

function marks(low: number, high: number): number[] {
  return [low, (low + high) / 2, high];
}

/** The shift nearest to ``by`` that lets one of the box's lines meet one of ``targets``, within ``reach``; else whole pixels. */
function along(low: number, high: number, by: number, targets: number[], reach: number): { by: number; at?: number } {
  let best: { by: number; at?: number; off: number } = { by, off: reach };
  for (const own of marks(low, high))
    for (const target of targets) {
      const off = Math.abs(own + by - target);
      if (off < best.off) best = { by: target - own, at: target, off };
    }
  if (best.at !== undefined) return { by: best.by, at: best.at };
  // The left or upper edge on a pixel's border.
  return { by: Math.round(low + by) - low };
}

/** Where a box that a hand moves by (dx, dy) goes: to the edges and middle of the picture and of others, or by whole pixels. */
export function snapped(
  box: Box,
  dx: number,
  dy: number,
  others: Box[],
  raster: { width: number; height: number },
  reach: number,
): Snap {
  const across = along(
    box[0],
    box[2],
    dx,
    [...marks(0, raster.width), ...others.flatMap((one) => marks(one[0], one[2]))],
    reach,
  );
  const down = along(
    box[1],
    box[3],
    dy,
    [...marks(0, raster.height), ...others.flatMap((one) => marks(one[1], one[3]))],
    reach,
  );
  const guides: Snap["guides"] = [];
  if (across.at !== undefined) guides.push({ x: across.at });
  if (down.at !== undefined) guides.push({ y: down.at });
  return { dx: across.by, dy: down.by, guides };
}

/** What to move boxes by, each to the right and down, so that they line up along one line, or keep even distances. */
export function arranged(
  boxes: Box[],
  how: "left" | "middle" | "right" | "top" | "centre" | "bottom" | "spread across" | "spread down",
): [number, number][] {
  const whole = around(boxes);
  if (!whole) return [];
  const [left, top, right, bottom] = whole;
  if (how === "spread across" || how === "spread down") {
    const k = how === "spread across" ? 0 : 1;
    const order = boxes.map((box, at) => ({ at, low: box[k] ?? 0, size: (box[k + 2] ?? 0) - (box[k] ?? 0) }));
    order.sort((a, b) => a.low + a.size / 2 - b.low - b.size / 2);
    const room = (whole[k + 2] ?? 0) - (whole[k] ?? 0) - order.reduce((sum, one) => sum + one.size, 0);
    const gap = room / Math.max(1, order.length - 1);
    const moves: [number, number][] = boxes.map(() => [0, 0]);
    let next = whole[k] ?? 0;
    for (const one of order) {
      moves[one.at] = k === 0 ? [next - one.low, 0] : [0, next - one.low];
      next += one.size + gap;
    }
    return moves;
  }
  return boxes.map(([a, b, c, d]) => {
    if (how === "left") return [left - a, 0];
    if (how === "right") return [right - c, 0];
    if (how === "middle") return [(left + right - a - c) / 2, 0];
    if (how === "top") return [0, top - b];
    if (how === "bottom") return [0, bottom - d];
    return [0, (top + bottom - b - d) / 2];
  });
}
