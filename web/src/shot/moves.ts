/** Values that move, as the document holds them: which part a field belongs to, and what an edit of such a field means at a frame. */
import { type Key, type Moves, type ShotDocument, type Track, valueAt, withValue } from "./document";

const PARTS =
  /^(elements\.\d+|lights\.\d+|finishes\.\d+|cameras\.\d+\.camera|layers\.\d+\.backdrop|camera|environment|backdrop)\.(.+)$/;

/** The path of the part that a field belongs to, and of the field below it. */
export function split(path: string): { part: string; field: string } | null {
  const found = PARTS.exec(path);
  return found?.[1] && found[2] ? { part: found[1], field: found[2] } : null;
}

export function movesOf(document: ShotDocument, part: string): Moves {
  return (valueAt(document, `${part}.moves`) as Moves | undefined) ?? {};
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

/** The document with a field set: as a key at the frame if it moves (a wave alone moves about the value that stands there). */
export function withEdit(document: ShotDocument, path: string, value: unknown, frame: number): ShotDocument {
  const place = split(path);
  if (!place) return withValue(document, path, value);
  const moves = movesOf(document, place.part);
  const track = moves[place.field];
  if (track?.keys.length)
    return withValue(document, `${place.part}.moves`, { ...moves, [place.field]: withKey(track, frame, value) });
  const numbers = Array.isArray(value) ? (value as unknown[]) : [];
  const own = numbers.map((_, at) => moves[`${place.field}.${at}`]);
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
