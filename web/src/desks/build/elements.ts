/** Elements of the set: new ones stand where nothing else does, under identities of their own. */
import type { Offers } from "@/api/offers";
import type { Element, Triple } from "@/shot/document";
import { useShot } from "@/shot/store";

type Shot = ReturnType<typeof useShot>;

/** How far a copy stands from what it was made of. */
const ASIDE = [30, -70, 40] as const;
/** Where new elements stand about the middle, one after the other: as far aside and down as what is seen there by a new shot's camera,
 *  and before each other in so many rows. */
const WIDE = 220;
const LOW = 30;
const ROW = 40;
const ROWS = 6;

export function freeId(shot: Shot, stem: string) {
  let number = 1;
  while (shot.draft?.elements.some((one) => one.id === `${stem}-${number}`)) number += 1;
  return `${stem}-${number}`;
}
/** A name that no element has yet: with a number, from the second on. */
export function freeName(shot: Shot, stem: string) {
  const taken = new Set(shot.draft?.elements.map((one) => one.name));
  let name = stem;
  for (let number = 2; taken.has(name); number += 1) name = `${stem} ${number}`;
  return name;
}
/** Elements and what stands in groups among them, in the order of the set. */
export function withMembers(all: Element[], chosen: Element[]): Element[] {
  const ids = new Set(chosen.map((one) => one.id));
  for (let before = -1; ids.size > before;) {
    before = ids.size;
    for (const one of all) if (one.inside && ids.has(one.inside)) ids.add(one.id);
  }
  return all.filter((one) => ids.has(one.id));
}
/** Elements out of the groups that are not among them. */
export function outOfOthers(elements: Element[]): Element[] {
  const ids = new Set(elements.map((one) => one.id));
  return elements.map((one) => (ids.has(one.inside) ? one : { ...one, inside: "" }));
}
/** Elements with identities that nobody there has; groups among them hold the same as before. */
export function underOwnNames(there: Element[], coming: Element[]): Element[] {
  const taken = new Set(there.map((one) => one.id));
  const names = new Map<string, string>();
  for (const one of coming) {
    let id = one.id;
    for (let number = 1; taken.has(id); number += 1) id = `${one.kind}-${number}`;
    taken.add(id);
    names.set(one.id, id);
  }
  return coming.map((one) => ({
    ...one,
    id: names.get(one.id) ?? one.id,
    inside: names.get(one.inside) ?? one.inside,
    ...("emitter" in one ? { emitter: names.get(one.emitter as string) ?? one.emitter } : {}),
  }));
}
function placeOf(element: Element) {
  return element.placement as { position: Triple };
}
function stepAside(times: number): Triple {
  return [times * ASIDE[0], times * ASIDE[1], times * ASIDE[2]];
}
/** Steps to both sides of the middle by turns, evenly however many there are (by the golden ratio), none like another. */
function stepAround(times: number): Triple {
  if (!times) return [0, 0, 0];
  const part = (times * 0.6180339887 + 0.2) % 1;
  return [
    Math.round((2 * part - 1) * WIDE),
    -Math.round(((times * 0.7548776662) % 1) * LOW),
    (1 + ((times - 1) % ROWS)) * ROW,
  ];
}
/** Elements moved as one until none has its pivot where another's is, or they would not be seen; what stands in a group goes with it. */
function beside(there: Element[], coming: Element[], step = stepAside): Element[] {
  const taken = new Set(there.map((one) => placeOf(one).position.join()));
  const ids = new Set(coming.map((one) => one.id));
  const moved = (times: number) =>
    coming.map((one) => {
      if (ids.has(one.inside)) return one;
      const steps = step(times);
      const position = placeOf(one).position.map((value, axis) => value + (steps[axis] ?? 0));
      return { ...one, placement: { ...placeOf(one), position } };
    });
  let times = 0;
  while (moved(times).some((one) => !ids.has(one.inside) && taken.has(placeOf(one).position.join()))) times += 1;
  return moved(times);
}
/** Puts elements into the set under identities of their own, where nothing else stands; gives the identities of those that stand in none of them. */
export function insertElements(shot: Shot, coming: Element[], what: string): string[] {
  const there = shot.draft?.elements ?? [];
  const added = beside(there, underOwnNames(there, coming));
  shot.edit("elements", [...there, ...added], true, what);
  const ids = new Set(added.map((one) => one.id));
  return added.filter((one) => !ids.has(one.inside)).map((one) => one.id);
}
/** Puts elements and what stands in them into the set once more; gives the identities of the copies. */
export function duplicate(shot: Shot, chosen: Element[]): string[] {
  const all = withMembers(shot.draft?.elements ?? [], chosen);
  const coming = all.map((one) =>
    chosen.includes(one) ? { ...one, name: freeName(shot, `${one.name} copy`.slice(0, 80)) } : one,
  );
  const what = chosen.length === 1 ? (chosen[0]?.name ?? "") : `${chosen.length} elements`;
  return insertElements(shot, coming, `Duplicate ${what}`);
}
/** Puts a new element of a kind into the set; gives its path. */
export function addElement(
  shot: Shot,
  kind: Offers["element_kinds"][number],
  more: Record<string, unknown> = {},
): string {
  const there = shot.draft?.elements ?? [];
  const own = {
    ...(kind.default as unknown as Element),
    id: freeId(shot, kind.name),
    name: freeName(shot, kind.title),
    ...more,
  };
  // What is only a place for others moves nothing that is put there.
  const added = kind.seen ? beside(there, [own], stepAround) : [own];
  shot.edit("elements", [...there, ...added], true, `Add ${kind.title.toLowerCase()}`);
  return `elements.${there.length}`;
}
/** Puts elements into a new one that holds others; gives its path. */
export function putInto(shot: Shot, kind: Offers["element_kinds"][number], chosen: Element[], what: string): string {
  const there = shot.draft?.elements ?? [];
  const members = new Set(chosen.map((one) => one.id));
  const id = freeId(shot, kind.name);
  const added = { ...(kind.default as unknown as Element), id, name: freeName(shot, kind.title) };
  // Who stands in a group that comes along stays in that.
  const list = there.map((one) => (members.has(one.id) && !members.has(one.inside) ? { ...one, inside: id } : one));
  const parents = new Set(chosen.map((one) => one.inside).filter((one) => !members.has(one)));
  if (parents.size === 1) added.inside = [...parents][0] ?? "";
  shot.edit("elements", [...list, added], true, what);
  return `elements.${list.length}`;
}
