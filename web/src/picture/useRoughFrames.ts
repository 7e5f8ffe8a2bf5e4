import { csrfToken, problemOf } from "@/api/client";
import { useOffers } from "@/api/offers";
import { useShot } from "@/shot/store";

import { ground } from "./grounds";
import { usePlayback } from "./usePlayback";

const WIDTH = 640;
/** Long ranges are played smaller, so that all frames fit the browser's memory. */
const MANY_FRAMES = 400;

/** Playback of the draft from rough frames that the server renders. */
export function useRoughFrames() {
  const shot = useShot();
  const offers = useOffers();

  async function load(frame: number): Promise<ImageBitmap> {
    const raster = shot.draft?.raster ?? { width: 16, height: 9 };
    const width = Math.min(raster.width, shot.frames.length > MANY_FRAMES ? WIDTH / 2 : WIDTH);
    const response = await fetch(`/api/shots/${shot.id}/picture`, {
      method: "POST",
      headers: { "Content-Type": "application/json", "X-CSRFToken": csrfToken() },
      body: JSON.stringify({
        document: shot.draft,
        frame,
        width,
        height: Math.max(2, Math.round((width * raster.height) / raster.width)),
        quality: "rough",
        kind: "jpeg",
        ground,
      }),
    });
    if (!response.ok) throw await problemOf(response);
    return createImageBitmap(await response.blob());
  }

  const rate = () => offers.value?.rates.find((one) => one.name === shot.draft?.timing.rate)?.value ?? 24;
  return usePlayback(
    () => shot.frames,
    rate,
    load,
    () => [shot.draft, { ...ground }],
    () => shot.frame,
  );
}
