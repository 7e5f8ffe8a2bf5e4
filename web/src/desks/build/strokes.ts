/** What is done to the strokes of a penwork, in its list and on the picture. */
import { ref } from "vue";

import type { useShot } from "@/shot/store";

type Shot = ReturnType<typeof useShot>;

/** The identity of the penwork whose strokes are numbered on the picture; empty: none. */
export const numberedIn = ref("");

/** All strokes in the order of writing: those that are named, then the others as they were found. */
export function orderOf(named: number[], all: number[]): number[] {
  const known = named.filter((one) => all.includes(one));
  return [...known, ...all.filter((one) => !known.includes(one))];
}

function toggled(set: Set<number>, one: number) {
  return set.has(one) ? [...set].filter((other) => other !== one) : [...set, one];
}

export function putStroke(shot: Shot, path: string, order: number[], from: number, to: number) {
  const list = [...order];
  const [one] = list.splice(from, 1);
  if (one === undefined || to < 0 || to > list.length) return;
  list.splice(to, 0, one);
  shot.edit(`${path}.order`, list, true, `Stroke ${one} is written as number ${to + 1}`);
}

export function turnRound(shot: Shot, path: string, turned: Set<number>, one: number, at: number) {
  shot.edit(`${path}.turned`, toggled(turned, one), true, `Stroke ${at + 1} from its other end`);
}

export function leaveOut(shot: Shot, path: string, out: Set<number>, one: number) {
  shot.edit(`${path}.left_out`, toggled(out, one), true, out.has(one) ? "Write a stroke" : "Leave a stroke out");
}
