/** Elements of the set: new ones stand where nothing else does, under an identity of their own. */
import type { Offers } from "@/api/offers";
import type { Element, Triple } from "@/shot/document";
import { useShot } from "@/shot/store";

type Shot = ReturnType<typeof useShot>;

export function freeId(shot: Shot, stem: string) {
  let number = 1;
  while (shot.draft?.elements.some((one) => one.id === `${stem}-${number}`)) number += 1;
  return `${stem}-${number}`;
}
function placeOf(element: Element) {
  return element.placement as { position: Triple };
}
/** Where nothing else has its pivot: beside and below what stands there, or the new element would not be seen. */
function beside(shot: Shot, element: Element): Element {
  const taken = new Set(shot.draft?.elements.map((one) => placeOf(one).position.join()));
  const placement = placeOf(element);
  let [x, y, z] = placement.position;
  while (taken.has([x, y, z].join())) [x, y, z] = [x + 40, y - 120, z + 40];
  return { ...element, placement: { ...placement, position: [x, y, z] } };
}
/** Puts an element at the end of the set, as it is; gives its path. */
function append(shot: Shot, added: Element, what: string): string {
  const elements = [...(shot.draft?.elements ?? []), added];
  shot.edit("elements", elements, true, what);
  return `elements.${elements.length - 1}`;
}
/** Puts an element into the set, where nothing else stands; gives its path. */
export function insertElement(shot: Shot, added: Element, what: string): string {
  return append(shot, beside(shot, added), what);
}
/** Puts a new element of a kind into the set; gives its path. */
export function addElement(
  shot: Shot,
  kind: Offers["element_kinds"][number],
  more: Record<string, unknown> = {},
): string {
  const element = {
    ...(kind.default as unknown as Element),
    id: freeId(shot, kind.name),
    name: kind.title,
    ...more,
  };
  // What is only a place for others moves nothing that is put there.
  return (kind.seen ? insertElement : append)(shot, element, `Add ${kind.title.toLowerCase()}`);
}
