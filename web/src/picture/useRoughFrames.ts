import { useOffers } from "@/api/offers";
import type { ShotDocument } from "@/shot/document";
import { useShot } from "@/shot/store";

import { ground } from "./grounds";
import { heightFor, requestPicture } from "./request";
import { usePlayback } from "./usePlayback";
import { type Sound, useSound } from "./useSound";

const WIDTH = 640;
/** Long ranges are played smaller, so that all frames fit the browser's memory. */
const MANY_FRAMES = 400;

/** Playback of the draft from rough frames that the server renders. */
export function useRoughFrames(sound: Sound = useSound()) {
  const shot = useShot();
  const offers = useOffers();

  async function load(frame: number): Promise<ImageBitmap> {
    const raster = shot.draft?.raster ?? { width: 16, height: 9 };
    const width = Math.min(raster.width, shot.frames.length > MANY_FRAMES ? WIDTH / 2 : WIDTH);
    const height = heightFor(width, raster);
    const request = {
      document: shot.draft as ShotDocument,
      frame,
      width,
      height,
      quality: "rough",
      kind: "jpeg",
      ground,
    } as const;
    return createImageBitmap(await requestPicture(shot.id, request));
  }

  const rate = () => offers.value?.rates.find((one) => one.name === shot.draft?.timing.rate)?.value ?? 24;
  return usePlayback(
    () => shot.frames,
    rate,
    load,
    () => [shot.draft, { ...ground }],
    () => shot.frame,
    sound,
  );
}
