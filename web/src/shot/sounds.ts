/** Sounds of a shot. */
import type { Sound } from "./document";
import type { useShot } from "./store";

/** Puts a sound into a shot that begins at the frame looked at; gives its identity. */
export function addSound(shot: ReturnType<typeof useShot>, more: Partial<Sound> = {}): string {
  const there = shot.draft?.sounds ?? [];
  const names = new Set(there.map((one) => one.id));
  let number = there.length + 1;
  while (names.has(`sound-${number}`)) number += 1;
  const made: Sound = {
    id: `sound-${number}`,
    name: `Sound ${number}`,
    on: true,
    file: "",
    begins: shot.frame,
    skip: 0,
    length: 0,
    volume: 1,
    fade_in: 0,
    fade_out: 0,
    ...more,
  };
  shot.edit("sounds", [...there, made], true, "Add a sound");
  return made.id;
}
