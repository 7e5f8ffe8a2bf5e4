/** Pixels that a column of keys is wide, the curve beside them, and a sound. */
export const COLUMN = 76;
export const CURVE = 150;
export const WAVE = 56;
/** The choice whether there is a curve. */
export const CHOICE = 64;
