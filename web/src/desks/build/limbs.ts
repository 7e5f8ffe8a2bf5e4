/** Parts of a puppet, as documents have them: what is not said is as drawn. */
import type { JsonSchema } from "@/api/offers";

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

const REST = { turn: 0, bend: 0, move: [0, 0], stretch: [1, 1] };

/** How parts stand, as a pose: only what is not as drawn. */
export function poseOf(limbs: Limbs): Record<string, Stance> {
  const found: Record<string, Stance> = {};
  for (const [code, limb] of Object.entries(limbs)) {
    const own: Record<string, unknown> = {};
    for (const [name, rest] of Object.entries(REST)) {
      const value = limb[name];
      if (value !== undefined && JSON.stringify(value) !== JSON.stringify(rest)) own[name] = value;
    }
    if (typeof limb.shows === "number" && limb.shows > 0) own.shows = limb.shows;
    if (Object.keys(own).length) found[code] = own as Stance;
  }
  return found;
}

/** New values by their paths that bring parts into a pose; what it does not name stands as drawn. */
export function taken(pose: NamedPose, limbs: Limbs, path: string): Record<string, unknown> {
  const found: Record<string, unknown> = {};
  for (const code of new Set([...Object.keys(limbs), ...Object.keys(pose.limbs)])) {
    const before = limbs[code] ?? {};
    const wanted = { ...REST, shows: -1, ...pose.limbs[code] };
    if (!wanted.shows) wanted.shows = -1;
    for (const [name, value] of Object.entries(wanted)) {
      const rest = (REST as Record<string, unknown>)[name] ?? -1;
      const now = before[name] ?? rest;
      if (JSON.stringify(now) !== JSON.stringify(value)) found[`${path}.${code}.${name}`] = value;
    }
  }
  return found;
}
