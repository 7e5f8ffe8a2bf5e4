/** Output layers of a shot: what elements are in them, and edits that add, copy, move and remove layers. */
import type { Layer, Membership, ShotDocument } from "./document";

export const MEMBERSHIPS: { name: Membership; sign: string; word: string; note: string; key: string }[] = [
  { name: "shown", sign: "●", word: "shown", note: "In the picture of this layer", key: "s" },
  {
    name: "hold-out",
    sign: "◯",
    word: "hold-out",
    note: "Cuts a hole where it stands in front, and is left out",
    key: "h",
  },
  {
    name: "unseen",
    sign: "◌",
    word: "unseen",
    note: "Only its shadow, occlusion and mirror image are there",
    key: "u",
  },
  { name: "absent", sign: "–", word: "absent", note: "Not there at all", key: "a" },
];

export function membershipOf(layer: Layer, element: string): Membership {
  return layer.members[element] ?? layer.others;
}

/** The layers with one element's place in one of them changed; what is as ``others`` says is not written down. */
export function withMembership(layers: Layer[], at: number, element: string, to: Membership): Layer[] {
  return layers.map((layer, number) => {
    if (number !== at) return layer;
    const rest = Object.entries(layer.members).filter(([id]) => id !== element);
    return { ...layer, members: Object.fromEntries(to === layer.others ? rest : [...rest, [element, to]]) };
  });
}

/** Another ``others`` leaves every element that is there as it was. */
export function withOthers(layers: Layer[], at: number, elements: string[], to: Membership): Layer[] {
  return layers.map((layer, number) => {
    if (number !== at) return layer;
    const members: Record<string, Membership> = {};
    for (const id of elements) if (membershipOf(layer, id) !== to) members[id] = membershipOf(layer, id);
    return { ...layer, members, others: to };
  });
}

function freeName(layers: Layer[], stem: string): string {
  const taken = new Set(layers.map((one) => one.name.toLowerCase()));
  if (!taken.has(stem.toLowerCase())) return stem;
  let number = 2;
  while (taken.has(`${stem}-${number}`.toLowerCase())) number += 1;
  return `${stem}-${number}`;
}

/** A layer that lies over the others, with the passes of the topmost one, in which everything is still absent. */
export function addedLayer(shot: ShotDocument, plain: Layer): Layer {
  const like = shot.layers.at(-1) ?? plain;
  return { ...plain, name: freeName(shot.layers, "front"), passes: like.passes, camera: like.camera, others: "absent" };
}

export function copiedLayer(shot: ShotDocument, layer: Layer): Layer {
  return { ...layer, name: freeName(shot.layers, layer.name) };
}
