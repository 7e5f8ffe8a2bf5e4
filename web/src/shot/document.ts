/** The shot document as the front end reads it. Its rules are the server's; this names only what views touch. */

export type Triple = [number, number, number];

export interface Element {
  id: string;
  kind: string;
  name: string;
  shown: boolean;
  turn: { turns: number; axis: string };
  [key: string]: unknown;
}

export interface Light {
  kind: string;
  name: string;
  on: boolean;
  [key: string]: unknown;
}

export interface Camera {
  position: Triple;
  look_at: Triple;
  roll: number;
  projection: string;
  lens_by: string;
  angle: number;
  focal_length: number;
  gate: number;
  span: number;
}

export interface ShotDocument {
  version: number;
  project: string;
  shot: string;
  title: string;
  raster: { width: number; height: number };
  timing: { rate: string; first: number; last: number; step: number; cycle: boolean };
  camera: Camera;
  cameras: { name: string; camera: Camera }[];
  view: string;
  lights: Light[];
  environment: Record<string, unknown>;
  backdrop: { kind: string; colour: string };
  finishes: { name: string; values: Record<string, unknown> }[];
  elements: Element[];
  sampling: { filter: string; filter_width: number };
  motion: { angle: number };
  pixels: { on: boolean; enlarge: number; palette: string[] };
  layers: { name: string; passes: string[]; camera: string }[];
  naming: string;
  quality: string;
}

type Tree = Record<string, unknown> | unknown[];

/** The value at a dotted path. */
export function valueAt(root: unknown, path: string): unknown {
  let at: unknown = root;
  for (const part of path.split(".")) at = (at as Record<string, unknown> | undefined)?.[part];
  return at;
}

/** A copy of a document with the value at a dotted path replaced; what is not on the path is shared. */
export function withValue<T>(root: T, path: string, value: unknown): T {
  const [head, ...rest] = path.split(".");
  if (head === undefined) return root;
  const copy: Tree = Array.isArray(root) ? [...(root as unknown[])] : { ...(root as Record<string, unknown>) };
  const holder = copy as Record<string, unknown>;
  holder[head] = rest.length ? withValue(holder[head], rest.join("."), value) : value;
  return copy as T;
}
