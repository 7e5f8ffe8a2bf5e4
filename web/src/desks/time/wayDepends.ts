import type { Element, ShotDocument } from "@/shot/document";
import { groupsAround } from "@/shot/groups";

/** Fields that no way depends on; and those of the element itself, whose pivot stays where it is while it turns or grows. */
const LOOKS = /^(opacity$|surface)/;
const ITS_OWN = /^(placement\.)?(rotation|scale|turn)/;

function without(...left: RegExp[]) {
  return (name: string, value: unknown) => (left.some((one) => one.test(name)) ? undefined : value);
}

/** What the way of an element over the picture depends on, as text: two documents that say the same have the same way. */
export function wayDependsOn(document: ShotDocument, element: Element): string {
  const { raster, timing, camera, cameras, view, elements } = document;
  const around = { raster, timing, camera, cameras, view, groups: groupsAround(elements, element) };
  return JSON.stringify(around, without(LOOKS)) + JSON.stringify(element, without(LOOKS, ITS_OWN));
}
