/** Parts of a puppet, as documents have them: what is not said is as drawn. */
import type { JsonSchema } from "@/api/offers";

import { ref } from "vue";

/** The part that is chosen in each puppet, by the puppet's identity: in its list and on the picture alike. */
export const chosenLimb = ref<Record<string, string>>({});
/** Whether parts have hands on the picture. */
export const limbsOnPicture = ref(true);

export interface Stance {
  turn?: number;
  bend?: number;
  move?: [number, number];
  stretch?: [number, number];
  shows?: number;
}
export interface Limb extends Stance {
  [key: string]: unknown;
}
export type Limbs = Record<string, Limb>;
export interface NamedPose {
  name: string;
  limbs: Record<string, Stance>;
}

/** The values that a part has at first, by its schema. */
export function atRest(schema: JsonSchema): Record<string, unknown> {
  return Object.fromEntries(Object.entries(schema.properties ?? {}).map(([name, field]) => [name, field.default]));
}

/** What poses hold, as drawn; of drawings what the file shows. */
const REST: Required<Stance> = { turn: 0, bend: 0, move: [0, 0], stretch: [1, 1], shows: -1 };

/** How parts stand, as a pose: only what is not as drawn. */
export function poseOf(limbs: Limbs): Record<string, Stance> {
  const found: Record<string, Stance> = {};
  for (const [code, limb] of Object.entries(limbs)) {
    const own: Record<string, unknown> = {};
    for (const [name, rest] of Object.entries(REST)) {
      const value = limb[name];
      if (value !== undefined && JSON.stringify(value) !== JSON.stringify(rest)) own[name] = value;
    }
    // All drawings at once are no pose.
    if (own.shows === 0) delete own.shows;
    if (Object.keys(own).length) found[code] = own as Stance;
  }
  return found;
}

/** New values by their paths that bring parts into a pose; what it does not name stands as drawn. */
export function taken(pose: NamedPose, limbs: Limbs, path: string): Record<string, unknown> {
  const found: Record<string, unknown> = {};
  for (const code of new Set([...Object.keys(limbs), ...Object.keys(pose.limbs)])) {
    const before = limbs[code] ?? {};
    const wanted = { ...REST, ...pose.limbs[code] };
    wanted.shows = wanted.shows || -1;
    for (const [name, value] of Object.entries(wanted)) {
      const now = before[name] ?? (REST as unknown as Record<string, unknown>)[name];
      if (JSON.stringify(now) !== JSON.stringify(value)) found[`${path}.${code}.${name}`] = value;
    }
  }
  return found;
}

/** Parts without what poses hold; what else is said of them stays. */
export function drawn(limbs: Limbs): Limbs {
  return Object.fromEntries(Object.entries(limbs).map(([code, limb]) => [code, { ...limb, ...REST }]));
}
