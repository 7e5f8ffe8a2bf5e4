/** A number of things in words: 1 frame, 6 frames. */
export function counted(number: number, thing: string): string {
  return `${number} ${thing}${number === 1 ? "" : "s"}`;
}
