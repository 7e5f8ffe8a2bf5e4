/** Elements on the clipboard as plain JSON: between shots and projects, and into a text editor. */
import { answer, api } from "@/api/client";
import type { Element, ShotDocument } from "@/shot/document";
import { useShot } from "@/shot/store";

import { outOfOthers, underOwnNames, withMembers } from "./elements";

const MARK = "zeitbild-elements";

interface Copied {
  [MARK]: 1;
  elements: Element[];
  finishes: ShotDocument["finishes"];
}

/** Elements, what stands in groups among them, and the shared finishes that they name. */
export function copied(document: ShotDocument, chosen: Element[]): string {
  const elements = withMembers(document.elements, chosen);
  const text = JSON.stringify(elements);
  const finishes = document.finishes.filter((one) => text.includes(`"named":${JSON.stringify(one.name)}`));
  const all: Copied = { [MARK]: 1, elements, finishes };
  return JSON.stringify(all, null, 2);
}

function read(text: string): Copied | null {
  try {
    const found = JSON.parse(text) as Partial<Copied> | null;
    return found?.[MARK] === 1 && Array.isArray(found.elements)
      ? { [MARK]: 1, elements: found.elements, finishes: found.finishes ?? [] }
      : null;
  } catch {
    return null;
  }
}

/**
 * Puts what was copied at the end of the set, under names of its own; gives the path of the first, or null if the text is nothing of ours.
 * Files of another project that this person sees come along; finishes that are here already stay as they are here.
 */
export async function paste(shot: ReturnType<typeof useShot>, text: string): Promise<string | null> {
  const found = read(text);
  const document = shot.draft;
  if (!found?.elements.length || !document) return null;
  const keys = [...new Set(text.match(/asset:[0-9a-f]{64}/g) ?? [])];
  if (keys.length && shot.meta)
    await answer(
      api.POST("/api/projects/{project_id}/adopt", {
        params: { path: { project_id: shot.meta.project_id } },
        body: { keys },
      }),
    );
  const pasted = underOwnNames(document.elements, outOfOthers(found.elements));
  const missing = found.finishes.filter((one) => !document.finishes.some((other) => other.name === one.name));
  const changes: Record<string, unknown> = { elements: [...document.elements, ...pasted] };
  if (missing.length) changes.finishes = [...document.finishes, ...missing];
  shot.editMany(changes, pasted.length === 1 ? `Paste ${pasted[0]?.name}` : `Paste ${pasted.length} elements`);
  return `elements.${document.elements.length}`;
}
