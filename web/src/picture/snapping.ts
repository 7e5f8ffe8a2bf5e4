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

/** A box so many times as large about a place that stays. */
export function grown(box: Box, pivot: readonly [number, number], factor: number): Box {
  const at = (own: number, fixed: number) => fixed + (own - fixed) * factor;
  return [at(box[0], pivot[0]), at(box[1], pivot[1]), at(box[2], pivot[0]), at(box[3], pivot[1])];
}

/** How many times as large a box becomes whose corner a hand draws away from a place that stays: so that an edge of that corner meets the
 * edges and middle of the picture or of others, or lies on a pixel's border. */
export function sized(
  pivot: readonly [number, number],
  corner: readonly [number, number],
  factor: number,
  others: Box[],
  raster: { width: number; height: number },
  reach: number,
): { factor: number; guides: Snap["guides"] } {
  const ways = [
    { k: 0, high: raster.width },
    { k: 1, high: raster.height },
  ].map(({ k, high }) => {
    const away = (corner[k] ?? 0) - (pivot[k] ?? 0);
    const targets = [...marks(0, high), ...others.flatMap((one) => marks(one[k] ?? 0, one[k + 2] ?? 0))];
    return { k, away, to: (pivot[k] ?? 0) + away * factor, targets };
  });
  let best: { factor: number; at: number; k: number; off: number } | null = null;
  for (const { k, away, to, targets } of ways)
    for (const target of targets) {
      const off = Math.abs(to - target);
      const wanted = (target - (pivot[k] ?? 0)) / away;
      // An edge by the place that stays goes nowhere; and nothing is turned inside out.
      if (Math.abs(away) < 1 || wanted < 0.01 || off >= (best?.off ?? reach)) continue;
      best = { factor: wanted, at: target, k, off };
    }
  if (best) return { factor: best.factor, guides: [best.k === 0 ? { x: best.at } : { y: best.at }] };
  const [across, down] = ways;
  const longer = Math.abs(across?.away ?? 0) >= Math.abs(down?.away ?? 0) ? across : down;
  if (!longer || Math.abs(longer.away) < 1) return { factor, guides: [] };
  const whole = (Math.round(longer.to) - (pivot[longer.k] ?? 0)) / longer.away;
  return { factor: whole < 0.01 ? factor : whole, guides: [] };
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
