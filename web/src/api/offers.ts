import { shallowRef } from "vue";

import type { Light } from "@/shot/document";

import { answer, api } from "./client";

export interface JsonSchema {
  $ref?: string;
  $defs?: Record<string, JsonSchema>;
  type?: string;
  title?: string;
  description?: string;
  enum?: string[];
  const?: unknown;
  default?: unknown;
  minimum?: number;
  maximum?: number;
  minLength?: number;
  maxItems?: number;
  properties?: Record<string, JsonSchema>;
  patternProperties?: Record<string, JsonSchema>;
  prefixItems?: JsonSchema[];
  items?: JsonSchema;
  anyOf?: JsonSchema[];
  oneOf?: JsonSchema[];
  "x-unit"?: string;
  "x-step"?: number;
  "x-group"?: string;
  "x-widget"?: string;
  "x-slider"?: [number, number];
  "x-fold"?: string;
  "x-late"?: boolean;
  "x-when"?: Record<string, string | string[]>;
  "x-any"?: Record<string, string | string[]>[];
  /** Fields of a part that have no meaning here. */
  "x-without"?: string[];
  /** The kind of file that a field names, or that the field of this name (``x-of``) does. */
  "x-files"?: string;
  "x-none"?: string;
  "x-of"?: string;
}

export interface Choice {
  name: string;
  title: string;
}

/** Something ready-made, with the address of a small rendered picture of it. */
export interface Pictured extends Choice {
  note: string;
  picture: string;
}

export interface FontChoice {
  key: string;
  title: string;
  character: string;
}

/** Something that can be chosen about files; without choices a number or a colour, empty where nothing is wanted. */
export interface RecipeOption extends Choice {
  kind: "choice" | "number" | "colour";
  choices: Choice[];
  low: number | null;
  high: number | null;
  initial: string;
  unit: string;
  note: string;
}

/** A kind of files that a hand-off can be of. */
export interface Recipe extends Choice {
  note: string;
  receiver: string;
  /** What it keeps and what it loses, a line each. */
  keeps: string;
  loses: string;
  /** How sound goes inside, if it does. */
  hears: string;
  alpha: string;
  extension: string;
  sharing: "pass" | "layer" | "frame";
  /** Of passes that it can hold. */
  roles: string[];
  options: RecipeOption[];
  /** By what its files can be made smaller. */
  smaller_by: ("quality" | "width" | "rate")[];
}

export interface Offers {
  /** Bytes of a file that is brought, by what its address ends with. */
  largest: Record<string, number>;
  schema: JsonSchema;
  /** Fields that can have keys, by the part that they are of. */
  moves: Record<string, { name: string; title: string }[]>;
  element_kinds: (Choice & { note: string; seen: boolean; holds: boolean; default: Record<string, unknown> })[];
  light_kinds: { name: string; title: string; aimed: "sky" | "point" | "none"; default: Light }[];
  light_sets: (Pictured & { lights: Light[] })[];
  finishes: (Pictured & { values: Record<string, unknown> })[];
  surroundings: (Pictured & { values: Record<string, unknown> })[];
  defaults: Record<string, unknown>;
  fonts: FontChoice[];
  /** Kinds of files for elements, with those that need not be brought. */
  library: Record<
    string,
    {
      title: string;
      suffixes: string[];
      together: string;
      /** Endings of files of which one of this kind is made. */
      gathers: string[];
      shipped: (FontChoice & { facts: Record<string, unknown> })[];
    }
  >;
  passes: (Choice & { note: string; role: string; sums: boolean })[];
  looks: (Choice & { note: string })[];
  /** Whom recipes are for, in their order. */
  receivers: Choice[];
  recipes: Recipe[];
  rates: { name: string; value: number }[];
  qualities: Choice[];
  naming_fields: Choice[];
}

const offers = shallowRef<Offers | null>(null);

/** What the core offers, loaded once. */
export async function loadOffers(): Promise<Offers> {
  offers.value ??= (await answer(api.GET("/api/offers"))) as unknown as Offers;
  return offers.value;
}

export function useOffers() {
  return offers;
}
