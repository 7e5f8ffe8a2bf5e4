/** A ground as the background of an element, for what the browser itself lays over it. */
import { ground } from "./grounds";

/** Greys of the squares, as pictures of frames have them (0.62 and 0.48 of 255). */
const LIGHT = "#9e9e9e";
const DARK = "#7a7a7a";

export function groundStyle(): Record<string, string> {
  switch (ground.kind) {
    case "checker":
      return {
        background: `repeating-conic-gradient(${LIGHT} 0% 25%, ${DARK} 0% 50%) 0 0 / 32px 32px`,
      };
    case "gradient":
      return { background: `linear-gradient(${ground.colour}, ${ground.colour_to})` };
    case "colour":
      return { background: ground.colour };
    default:
      return { background: { black: "#000", white: "#fff", grey: "#808080" }[ground.kind] };
  }
}
