import { reactive } from "vue";

export type GroundKind = "checker" | "black" | "white" | "grey" | "colour" | "gradient";

export const GROUNDS: { name: GroundKind; title: string }[] = [
  { name: "checker", title: "Checker" },
  { name: "black", title: "Black" },
  { name: "white", title: "White" },
  { name: "grey", title: "Grey" },
  { name: "colour", title: "Colour" },
  { name: "gradient", title: "Gradient" },
];

/** What stands behind a clear backdrop while looking; shared by all desks, never part of a shot. */
export const ground = reactive({ kind: "checker" as GroundKind, colour: "#1f9d55", colour_to: "#101828" });
/** The surround of the picture: neutral mid-grey, or dark. */
export const surround = reactive({ dark: false });
