import { computed, onScopeDispose, readonly, ref, shallowRef, watch, type WatchSource } from "vue";

import type { Heard } from "./useSound";

/** Frames asked for at once while loading. */
const AT_ONCE = 2;
/** Half of what lies between two pictures of a screen, in ms. */
const HALF_A_REFRESH = 8;

/**
 * Plays frames as a loop at an exact rate: loads each once, shows them as they come, then runs by the clock.
 *
 * ``signature`` tells when loaded frames are no longer right; ``load`` gives one frame's bitmap.
 */
export function usePlayback(
  frames: () => number[],
  rate: () => number,
  load: (frame: number) => Promise<ImageBitmap>,
  signature: WatchSource<unknown>,
  start: () => number,
  sound: { play: (frame: number) => Promise<Heard | null> } | null = null,
) {
  const playing = ref(false);
  const loaded = ref(0);
  const current = shallowRef<{ frame: number; bitmap: ImageBitmap } | null>(null);
  const measured = ref(0);
  /** Frames that the picture was away from the sound at most. */
  const apart = ref(0);
  let heard: Heard | null = null;
  const cache = new Map<number, ImageBitmap>();
  let round = 0;
  let request = 0;

  function drop() {
    round += 1;
    for (const bitmap of cache.values()) bitmap.close();
    cache.clear();
    loaded.value = 0;
  }

  function stop() {
    playing.value = false;
    heard?.stop();
    heard = null;
    cancelAnimationFrame(request);
    current.value = null;
  }

  async function loadAll(list: number[], own: number) {
    const missing = list.filter((frame) => !cache.has(frame));
    loaded.value = list.length - missing.length;
    let at = 0;
    async function one() {
      while (at < missing.length && own === round && playing.value) {
        const frame = missing[at++] as number;
        const bitmap = await load(frame);
        if (own !== round) {
          bitmap.close();
          return;
        }
        cache.set(frame, bitmap);
        loaded.value += 1;
        if (playing.value) current.value = { frame, bitmap };
      }
    }
    await Promise.all(Array.from({ length: AT_ONCE }, one));
  }

  async function play() {
    const list = frames();
    if (!list.length) return;
    playing.value = true;
    const own = round;
    try {
      await loadAll(list, own);
    } catch {
      // The picture itself says why a frame cannot be had; playing it is pointless.
      stop();
      return;
    }
    if (!playing.value || own !== round) return;
    const offset = Math.max(0, list.indexOf(start()));
    try {
      heard = await (sound?.play(list[offset] as number) ?? null);
    } catch {
      // What is wrong with a sound is said among the findings; the picture plays without it.
      heard = null;
    }
    if (!playing.value || own !== round) return stop();
    const began = performance.now();
    // The sound's clock is the one that is followed: ears notice what eyes do not.
    const clock = heard?.seconds ?? (() => (performance.now() - began) / 1000);
    apart.value = 0;
    let shownFrames = 0;
    let last = -1;
    const tick = () => {
      if (!playing.value) return;
      const seconds = clock();
      // A screen shows what is drawn now for a while: the middle of that is what is met best.
      const at = seconds * rate();
      const number = Math.floor(at + (HALF_A_REFRESH / 1000) * rate());
      if (last >= 0) apart.value = Math.max(apart.value, at - last - 1, last - at);
      if (number !== last) {
        last = number;
        shownFrames += 1;
        measured.value = seconds > 0.5 ? shownFrames / seconds : 0;
        const frame = list[(offset + number) % list.length] as number;
        const bitmap = cache.get(frame);
        if (bitmap) current.value = { frame, bitmap };
      }
      request = requestAnimationFrame(tick);
    };
    tick();
  }

  watch(signature, () => {
    stop();
    drop();
  });
  onScopeDispose(() => {
    stop();
    drop();
  });

  return {
    playing: readonly(playing),
    loaded: readonly(loaded),
    current,
    measured: readonly(measured),
    apart: readonly(apart),
    loading: computed(() => playing.value && loaded.value < frames().length),
    toggle: () => (playing.value ? stop() : void play()),
    stop,
  };
}
