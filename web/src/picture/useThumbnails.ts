import { onScopeDispose, shallowReactive, watch } from "vue";

import { useShot } from "@/shot/store";

import { requestPicture } from "./request";
import { sharpUnderWay } from "./useLatest";

/** Twice the size at which the sheet shows them, in pixels. */
const HEIGHT = 40;
/** Thumbnails wait until nothing has been edited for so long, in ms: the picture comes first. */
const REST_MS = 700;
/** After so many failures in a row, the others wait for the next edit, too. */
const ENOUGH = 3;

/** Small pictures of frames for the sheet, rendered when a row that shows them comes into view. */
export function useThumbnails() {
  const shot = useShot();
  const urls = shallowReactive(new Map<number, string>());
  /** Those that were made, or tried, since the last edit. */
  const fresh = new Set<number>();
  const wanted = new Set<number>();
  let busy = false;
  let ended = false;
  let timer = 0;
  let failed = 0;

  async function next() {
    const frame = [...wanted][0];
    // The server makes what is small first; the sharp picture would wait for all of these.
    if (busy || ended || timer || sharpUnderWay.value || frame === undefined || !shot.draft) return;
    busy = true;
    wanted.delete(frame);
    const document = shot.draft;
    const { width, height } = document.raster;
    try {
      const size = { width: Math.max(2, Math.round((HEIGHT * width) / height)), height: HEIGHT };
      const request = { document, frame, ...size, quality: "rough", kind: "jpeg", ground: { kind: "grey" } } as const;
      const blob = await requestPicture(shot.id, request);
      if (document === shot.draft) {
        const old = urls.get(frame);
        urls.set(frame, URL.createObjectURL(blob));
        fresh.add(frame);
        if (old) URL.revokeObjectURL(old);
      }
      failed = 0;
    } catch {
      // What is wrong is said beside the picture and its field; a sheet without thumbnails needs no second message.
      failed += 1;
      fresh.add(frame);
      if (failed >= ENOUGH) {
        for (const one of wanted) fresh.add(one);
        wanted.clear();
      }
    } finally {
      busy = false;
      void next();
    }
  }

  function want(frame: number) {
    if (fresh.has(frame) || wanted.has(frame)) return;
    wanted.add(frame);
    queueMicrotask(() => void next());
  }

  watch(
    () => shot.draft,
    () => {
      window.clearTimeout(timer);
      timer = window.setTimeout(() => {
        timer = 0;
        failed = 0;
        const shown = [...fresh];
        fresh.clear();
        for (const frame of shown) wanted.add(frame);
        void next();
      }, REST_MS);
    },
  );
  watch(sharpUnderWay, () => void next());
  onScopeDispose(() => {
    ended = true;
    window.clearTimeout(timer);
    for (const url of urls.values()) URL.revokeObjectURL(url);
  });
  return { urls, want };
}
