/** Ways from one key to the next, as people read them. */
export const WAYS = [
  { name: "gentle", title: "Gentle at both ends" },
  { name: "gentle start", title: "Gentle start" },
  { name: "gentle end", title: "Gentle end" },
  { name: "straight", title: "Straight" },
  { name: "hold", title: "Hold" },
  { name: "free", title: "Free curve", note: "two handles" },
  { name: "past", title: "Past it and back" },
  { name: "bounce", title: "Bounce" },
];
export const OUTSIDE = [
  { name: "hold", title: "Hold" },
  { name: "repeat", title: "Repeat" },
  { name: "back and forth", title: "Back and forth" },
  { name: "go on", title: "Go on", note: "as fast as at its end" },
  { name: "onwards", title: "Repeat onwards", note: "each time from where it was" },
];
/** What a strength means for a way; ways that are not here have none. */
export const STRENGTHS: Record<string, string> = {
  gentle: "How gentle",
  "gentle start": "How gentle",
  "gentle end": "How gentle",
  past: "How far past",
  bounce: "How lively",
};
