/** The shot document as the front end reads it. Its rules are the server's; this names only what views touch. */

export type Triple = [number, number, number];

export interface Key {
  frame: number;
  value: unknown;
  way: string;
  /** The usual ones: not there. */
  strength?: number;
  handles?: [number, number, number, number];
  /** How far both handles are drawn aside, in units of the value, for each of its numbers. */
  lifts?: [number, number][];
}
export interface Wave {
  shape: string;
  amount: number;
  times: number;
  begins: number;
}
export interface Track {
  keys: Key[];
  before: string;
  after: string;
  every: number;
  shortest: boolean;
  wave: Wave | null;
}
export type Moves = Record<string, Track>;

interface Moving {
  /** Values that move, by their fields' paths; nothing moves: not there. */
  moves?: Moves;
}

export interface Element extends Moving {
  id: string;
  kind: string;
  name: string;
  shown: boolean;
  reference: boolean;
  locked: boolean;
  inside: string;
  opacity: number;
  turn: { turns: number; start: number; axis: string };
  [key: string]: unknown;
}

export interface Light extends Moving {
  kind: string;
  name: string;
  on: boolean;
  [key: string]: unknown;
}

export interface Camera extends Moving {
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

export type Membership = "shown" | "hold-out" | "unseen" | "absent";

export interface Backdrop {
  kind: string;
  colour: string;
  colour_to: string;
}

export interface Layer {
  name: string;
  title: string;
  on: boolean;
  passes: string[];
  camera: string;
  members: Record<string, Membership>;
  others: Membership;
  lights_off: string[];
  backdrop: Backdrop | null;
  samples: string;
  rays: number;
  filter: string;
  filter_width: number;
  frames: string;
  note: string;
}

export interface Sound {
  id: string;
  name: string;
  on: boolean;
  file: string;
  begins: number;
  skip: number;
  length: number;
  volume: number;
  fade_in: number;
  fade_out: number;
}

export interface ShotDocument {
  version: number;
  project: string;
  shot: string;
  title: string;
  raster: { width: number; height: number; overscan: number };
  timing: { rate: string; first: number; last: number; step: number; cycle: boolean; handles: number };
  ranges?: { name: string; first: number; last: number }[];
  camera: Camera;
  cameras: { name: string; camera: Camera }[];
  view: string;
  lights: Light[];
  environment: Record<string, unknown>;
  backdrop: Backdrop;
  finishes: { name: string; values: Record<string, unknown> }[];
  elements: Element[];
  sampling: { filter: string; filter_width: number };
  motion: { angle: number };
  pixels: { on: boolean; enlarge: number; palette: string[] };
  /** None: not there. */
  sounds?: Sound[];
  layers: Layer[];
  naming: string;
  pass_codes: Record<string, string>;
  quality: string;
}

/** Those of some sounds that are switched on and name a file. */
export function heardOf(sounds: Sound[] | undefined): Sound[] {
  return (sounds ?? []).filter((one) => one.on && one.file);
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
