import type { Element } from "./document";

/** Groups that an element stands in, from the inmost to the outermost. */
export function groupsAround(all: readonly Element[], element: Element): Element[] {
  const found: Element[] = [];
  const holder = (one: Element) => (one.inside ? all.find((other) => other.id === one.inside) : undefined);
  for (let one = holder(element); one && !found.includes(one); one = holder(one)) found.push(one);
  return found;
}
