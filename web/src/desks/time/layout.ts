/** Pixels that a column of keys is wide, the curve beside them, and a sound. */
export const COLUMN = 76;
export const CURVE = 150;
export const WAVE = 56;
/** What the numbers of the frames take at the left. */
export const NUMBERS = 60;
/** The choice whether there is a curve. */
export const CHOICE = 64;
