import { onScopeDispose, readonly, ref, shallowRef } from "vue";

import { Problem } from "@/api/client";

import { paint } from "./painter";
import { asked, type PictureRequest } from "./request";

/** Requests under way at most: one is being rendered while others travel to and fro. */
const AT_ONCE = 2;

/** Sharp pictures that are under way, on the whole page: what is small and many waits for them. */
export const sharpUnderWay = ref(0);

export interface Shown {
  /** What the picture was asked for as. */
  tag: string;
  bitmap: ImageBitmap;
  /** From asking to showing. */
  milliseconds: number;
}

/**
 * Asks for pictures and shows the newest one: while some are under way, requests in between are dropped, and the server begins none that
 * waits when a newer one comes.
 *
 * Returns read-only state and ``ask``; a picture that was overtaken by a newer one is never shown.
 */
export function useLatest() {
  const shown = shallowRef<Shown | null>(null);
  const failure = shallowRef<Problem | null>(null);
  const count = ref(0);
  /** What was asked for last and is not there yet; empty when all is. */
  const awaited = ref("");
  const line = `${Date.now()} ${Math.random()}`;
  let waiting: { shot: number; request: PictureRequest; tag: string } | null = null;
  /** Sharp pictures under way: they may take long, and are given up as soon as something newer is asked for. */
  const sharp = new Set<AbortController>();
  let running = 0;
  let number = 0;
  let newest = 0;
  let ended = false;

  async function fetchPicture(shot: number, request: PictureRequest, tag: string) {
    const own = ++number;
    const began = performance.now();
    running += 1;
    const hangUp = new AbortController();
    const isSharp = request.quality !== "rough";
    if (isSharp) {
      sharp.add(hangUp);
      sharpUnderWay.value += 1;
    }
    try {
      const bitmap = await paint(...asked(shot, { ...request, line }), hangUp.signal);
      // Overtaken: the newer one is on its way.
      if (!bitmap) return;
      if (own < newest || ended) {
        bitmap.close();
        return;
      }
      newest = own;
      shown.value?.bitmap.close();
      shown.value = { tag, bitmap, milliseconds: performance.now() - began };
      failure.value = null;
      count.value += 1;
      if (awaited.value === tag) awaited.value = "";
    } catch (error) {
      if (own < newest || ended || hangUp.signal.aborted) return;
      newest = own;
      awaited.value = "";
      failure.value =
        error instanceof Problem
          ? error
          : new Problem(0, "offline", "The server cannot be reached; the picture is not up to date.");
    } finally {
      sharp.delete(hangUp);
      if (isSharp) sharpUnderWay.value -= 1;
      running -= 1;
      pump();
    }
  }

  function pump() {
    if (!waiting || running >= AT_ONCE || ended) return;
    const next = waiting;
    waiting = null;
    void fetchPicture(next.shot, next.request, next.tag);
  }

  function ask(shot: number, request: PictureRequest, tag: string) {
    for (const one of sharp) one.abort();
    waiting = { shot, request, tag };
    awaited.value = tag;
    pump();
  }

  onScopeDispose(() => {
    ended = true;
    for (const one of sharp) one.abort();
    shown.value?.bitmap.close();
  });
  return {
    shown: readonly(shown),
    failure: readonly(failure),
    count: readonly(count),
    awaited: readonly(awaited),
    ask,
  };
}
