/** The frames of a set such as ``1-10,20,30-40x2``, as the server writes it. */
export function* framesOf(set: string): Generator<number> {
  if (!set) return;
  for (const part of set.split(",")) {
    const match = /^(-?\d+)(?:-(-?\d+)(?:x(\d+))?)?$/.exec(part);
    if (!match) continue;
    const first = Number(match[1]);
    const last = match[2] === undefined ? first : Number(match[2]);
    for (let frame = first; frame <= last; frame += Number(match[3] ?? 1)) yield frame;
  }
}
