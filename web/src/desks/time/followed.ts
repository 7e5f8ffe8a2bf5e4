/** Values that follow a key while it is dragged, before the server tells them. */
import type { Track } from "@/shot/document";

/** What is known of a track: as it was when its values were told, and those values. */
export interface Told {
  track: Track;
  values: readonly unknown[];
}

const numbers = (value: unknown): number[] =>
  typeof value === "number" ? [value] : Array.isArray(value) && value.every(Number.isFinite) ? (value as number[]) : [];

/** Which number of which key differs between two tracks, and by how much; null if anything else does, or more than one. */
function apart(one: Track, other: Track): { key: number; index: number; by: number } | null {
  const { keys, ...rest } = one;
  const { keys: others, ...otherRest } = other;
  if (keys.length !== others.length || JSON.stringify(rest) !== JSON.stringify(otherRest)) return null;
  let found: { key: number; index: number; by: number } | null = null;
  for (const [at, key] of keys.entries()) {
    const second = others[at];
    if (key === second) continue;
    const { value, ...own } = key;
    const { value: otherValue, ...otherOwn } = second ?? { value: null };
    const [before, after] = [numbers(value), numbers(otherValue)];
    if (!before.length || before.length !== after.length || JSON.stringify(own) !== JSON.stringify(otherOwn))
      return null;
    for (const [index, number] of before.entries()) {
      const by = (after[index] ?? 0) - number;
      if (!by) continue;
      if (found) return null;
      found = { key: at, index, by };
    }
  }
  return found;
}

/** Whether two tracks are the same, saved meanwhile or not. */
const alike = (one: Track, other: Track) => one === other || JSON.stringify(one) === JSON.stringify(other);

/** Two answers about a track: the last, and one before it. */
export interface Answers {
  last: Told;
  before: Told | undefined;
}

/** Answers with another one: of those before it that differ from it by one number, the one that differs most tells most. */
export function withAnswer(known: Answers | undefined, last: Told): Answers {
  if (!known) return { last, before: undefined };
  // Told once more: what it was before tells as much as it did.
  if (alike(known.last.track, last.track)) return { last, before: known.before };
  const far = known.before && apart(known.before.track, last.track);
  const near = apart(known.last.track, last.track);
  const same = far && near && far.key === near.key && far.index === near.index;
  return { last, before: same && Math.abs(far.by) > Math.abs(near.by) ? known.before : known.last };
}

/**
 * Values of a track as it is now, from two earlier answers that differ by one number of one key, which is the one that differs now: each
 * value goes along with it by a share of its own, whatever lies between the keys. Null if that is not so.
 */
export function followed({ last, before }: Answers, now: Track, low: number, high: number): unknown[] | null {
  if (alike(last.track, now)) return [...last.values];
  if (!before || before.values.length !== last.values.length) return null;
  const [then, since] = [apart(before.track, last.track), apart(last.track, now)];
  if (!then || !since || then.key !== since.key || then.index !== since.index) return null;
  const share = since.by / then.by;
  const { index } = then;
  return last.values.map((value, at) => {
    const [own, old] = [numbers(value), numbers(before.values[at])];
    const [a, b] = [old[index], own[index]];
    if (a === undefined || b === undefined) return value;
    const next = Math.min(Math.max(b + (b - a) * share, low), high);
    return Array.isArray(value) ? own.map((number, place) => (place === index ? next : number)) : next;
  });
}
