/** Shared finishes of a shot: who uses them, and the edits that make, rename and dissolve them. */
import type { Element, ShotDocument } from "@/shot/document";

export interface FinishValues {
  shading: string;
  named?: string;
  [key: string]: unknown;
}

/** Paths of the finishes of all elements. */
export function finishPaths(elements: Element[]): { path: string; value: FinishValues }[] {
  return elements.flatMap((element, at) => within(element, `elements.${at}`));
}

function within(value: unknown, path: string): { path: string; value: FinishValues }[] {
  if (typeof value !== "object" || value === null) return [];
  if ("named" in value) return [{ path, value: value as FinishValues }];
  return Object.entries(value).flatMap(([name, inner]) => within(inner, `${path}.${name}`));
}

/** How many surfaces use each shared finish. */
export function users(document: ShotDocument, name: string): number {
  return finishPaths(document.elements).filter(({ value }) => value.named === name).length;
}

export function freeName(document: ShotDocument, stem: string): string {
  const taken = new Set(document.finishes.map((one) => one.name));
  if (!taken.has(stem)) return stem;
  let number = 2;
  while (taken.has(`${stem} ${number}`)) number += 1;
  return `${stem} ${number}`;
}

/** A finish without the name that it shares. */
export function bare(value: FinishValues): FinishValues {
  const copy = { ...value };
  delete copy.named;
  return copy;
}

/** Something of the set whose finishes have their own values instead of the shared ones that they name. */
export function unshared<T>(document: ShotDocument, value: T): T {
  if (Array.isArray(value)) return value.map((one: unknown) => unshared(document, one)) as T;
  if (typeof value !== "object" || value === null) return value;
  const named = "named" in value ? document.finishes.find((one) => one.name === value.named) : undefined;
  if (named) return { ...bare(named.values as FinishValues), named: "" } as T;
  return Object.fromEntries(
    Object.entries(value).map(([name, inner]) => [name, unshared(document, inner as unknown)]),
  ) as T;
}

/** Edits that give the finish at a path a name, under which others can share it. */
export function shareEdits(document: ShotDocument, path: string, value: FinishValues, stem: string) {
  const name = freeName(document, stem);
  return { finishes: [...document.finishes, { name, values: bare(value) }], [`${path}.named`]: name };
}

/** Edits that rename a shared finish wherever it is used. */
export function renameEdits(document: ShotDocument, from: string, to: string): Record<string, unknown> {
  const edits: Record<string, unknown> = {
    finishes: document.finishes.map((one) => (one.name === from ? { ...one, name: to } : one)),
  };
  for (const { path, value } of finishPaths(document.elements)) if (value.named === from) edits[`${path}.named`] = to;
  return edits;
}
