/** Pixels that the numbers of the frames take at the left of the sheet. */
export const NUMBERS = 60;

/** What a desk puts beside each frame number. */
export interface SheetMark {
  /** A sign, so that state never depends on colour alone. */
  sign?: string;
  text?: string;
  tone?: "plain" | "done" | "busy" | "warn" | "fail" | "quiet";
  title?: string;
  /** Address of a small picture. */
  image?: string | undefined;
}

export interface SheetColumn {
  key: string;
  title: string;
  /** CSS width; columns without one share what is left. */
  width?: string;
  /** What a click on its head does, and whether it is what is looked at. */
  choose?: () => void;
  chosen?: boolean;
  mark: (frame: number) => SheetMark | null;
}
