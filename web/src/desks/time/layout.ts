/** Pixels that a column of keys is wide, and the curve beside them. */
export const COLUMN = 76;
export const CURVE = 150;
