/** Values that move, as the document holds them: which part a field belongs to, and what an edit of such a field means at a frame. */
import { type Key, type Moves, type ShotDocument, type Track, valueAt, withValue } from "./document";

const PARTS =
  /^(elements\.\d+|lights\.\d+|finishes\.\d+|cameras\.\d+\.camera|layers\.\d+\.backdrop|sounds\.\d+|camera|environment|backdrop)\.(.+)$/;

/** The path of the part that a field belongs to, and of the field below it. */
export function split(path: string): { part: string; field: string } | null {
  const found = PARTS.exec(path);
  return found?.[1] && found[2] ? { part: found[1], field: found[2] } : null;
}

export function movesOf(document: ShotDocument, part: string): Moves {
  return (valueAt(document, `${part}.moves`) as Moves | undefined) ?? {};
}

/** A list without one of its members, and what moves without its keys: those of the members after it go with them. */
export function withoutMember(document: ShotDocument, path: string, at: number): Record<string, unknown> {
  const rest = (valueAt(document, path) as unknown[]).filter((_, index) => index !== at);
  const place = split(path);
  if (!place) return { [path]: rest };
  const before = `${place.field}.`;
  const moves = movesOf(document, place.part);
  const kept: Moves = {};
  for (const [field, track] of Object.entries(moves)) {
    const [, number = "", below = ""] = field.startsWith(before)
      ? (/^(\d+)(\..+)$/.exec(field.slice(before.length)) ?? [])
      : [];
    if (!number) kept[field] = track;
    else if (Number(number) !== at) kept[`${before}${Number(number) - (Number(number) > at ? 1 : 0)}${below}`] = track;
  }
  const changed = Object.keys(moves).some((field) => field.startsWith(before));
  return { [path]: rest, ...(changed ? { [`${place.part}.moves`]: kept } : {}) };
}

const patterns = new WeakMap<object, (field: string) => boolean>();
/** Whether a field can have keys, by the names of those that can: * stands for any name, # for any place in a list. */
export function canMove(names: readonly { name: string }[], field: string): boolean {
  let known = patterns.get(names);
  if (!known) {
    const exact = new Set(names.map((one) => one.name));
    const open = names
      .filter((one) => /[*#]/.test(one.name))
      .map(
        (one) => new RegExp(`^${one.name.replaceAll(".", "\\.").replaceAll("*", "[^.]+").replaceAll("#", "\\d+")}$`),
      );
    known = (one) => exact.has(one) || (one.split(".").length > 2 && open.some((pattern) => pattern.test(one)));
    patterns.set(names, known);
  }
  return known(field);
}

/** Every value that moves, in the order of the document. */
export function allTracks(document: ShotDocument): { path: string; part: string; field: string; track: Track }[] {
  const parts = [
    "camera",
    "environment",
    "backdrop",
    ...document.elements.map((_, at) => `elements.${at}`),
    ...document.lights.map((_, at) => `lights.${at}`),
    ...document.finishes.map((_, at) => `finishes.${at}`),
    ...document.cameras.map((_, at) => `cameras.${at}.camera`),
    ...document.layers.flatMap((layer, at) => (layer.backdrop ? [`layers.${at}.backdrop`] : [])),
    ...(document.sounds ?? []).map((_, at) => `sounds.${at}`),
  ];
  return parts.flatMap((part) =>
    Object.entries(movesOf(document, part)).map(([field, track]) => ({ path: `${part}.${field}`, part, field, track })),
  );
}

/** Handles of a free curve that were not dragged yet. */
export const HANDLES: [number, number, number, number] = [0.42, 0, 0.58, 1];

/** A track with a value at a frame: a key that is there keeps its way, a new one goes on as the one before it does. */
export function withKey(track: Track, frame: number, value: unknown): Track {
  const there = track.keys.find((key) => key.frame === frame);
  if (there) return { ...track, keys: track.keys.map((key) => (key === there ? { ...key, value } : key)) };
  const before = track.keys.filter((key) => key.frame < frame).at(-1);
  const way = before && ["hold", "straight"].includes(before.way) ? before.way : "gentle";
  const key: Key = { frame, value, way };
  return { ...track, keys: [...track.keys, key].sort((a, b) => a.frame - b.frame) };
}

/** What a wave adds to a value at a frame: as the core's ``timing.easing.waves``, but for the last bits. */
export function waveAt(document: ShotDocument, track: Track, frame: number): number {
  if (!track.wave) return 0;
  const { first, last, cycle } = document.timing;
  const from = track.keys[0]?.frame ?? first;
  const at = track.every > 1 ? from + Math.floor((frame - from) / track.every) * track.every : frame;
  const count = last - first + 1;
  let phase = 0;
  if (cycle) phase = ((((at - first) % count) + count) % count) / count;
  else if (count > 1) phase = Math.min(1, Math.max(0, (at - first) / (count - 1)));
  const { shape, amount, times, begins } = track.wave;
  const turned = times * phase + begins;
  return amount * (shape === "round" ? turned - Math.floor(turned) : Math.sin(2 * Math.PI * turned));
}

/** What has to be written for a value to be seen at a frame: a number without what its wave adds there. */
export function withoutWave(document: ShotDocument, track: Track | undefined, frame: number, value: unknown): unknown {
  if (!track?.wave || typeof value !== "number") return value;
  return Math.round((value - waveAt(document, track, frame)) * 1e9) / 1e9;
}

/** The document with a field set: as a key at the frame if it moves. What waves does so about what is written: that is what it takes to be seen
 * as the value now. */
export function withEdit(document: ShotDocument, path: string, value: unknown, frame: number): ShotDocument {
  const place = split(path);
  if (!place) return withValue(document, path, value);
  const moves = movesOf(document, place.part);
  const track = moves[place.field];
  value = withoutWave(document, track, frame, value);
  if (track?.keys.length)
    return withValue(document, `${place.part}.moves`, { ...moves, [place.field]: withKey(track, frame, value) });
  const given = Array.isArray(value) ? (value as unknown[]) : [];
  const own = given.map((_, at) => moves[`${place.field}.${at}`]);
  const numbers = given.map((one, at) => withoutWave(document, own[at], frame, one));
  if (own.some((one) => one?.wave)) value = numbers;
  if (!own.some((one) => one?.keys.length)) return withValue(document, path, value);
  // Of a vector some numbers move and others stand.
  const still = valueAt(document, path) as unknown[];
  const changed = { ...moves };
  own.forEach((one, at) => {
    if (one?.keys.length) changed[`${place.field}.${at}`] = withKey(one, frame, numbers[at]);
  });
  const placed = withValue(document, `${place.part}.moves`, changed);
  return withValue(
    placed,
    path,
    numbers.map((one, at) => (own[at]?.keys.length ? still[at] : one)),
  );
}

/** Fields of which this path is one, or the numbers of it: what a key mark beside a field stands for. */
export function tracksAt(document: ShotDocument, path: string): { path: string; track: Track }[] {
  const place = split(path);
  if (!place) return [];
  const moves = movesOf(document, place.part);
  return [place.field, ...[0, 1, 2].map((at) => `${place.field}.${at}`)].flatMap((field) => {
    const track = moves[field];
    return track ? [{ path: `${place.part}.${field}`, track }] : [];
  });
}
