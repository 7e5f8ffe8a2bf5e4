import type { SheetColumn } from "@/sheet/columns";

/** A column without keys: of what turns over the range. */
export interface TurnColumn extends SheetColumn {
  thing: string;
  what: string;
}

/** Pixels that a column of keys is wide, the curve beside them, and a sound. */
export const COLUMN = 76;
export const CURVE = 150;
export const WAVE = 56;
/** The choice whether there is a curve. */
export const CHOICE = 64;
