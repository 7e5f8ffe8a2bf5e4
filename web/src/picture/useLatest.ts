import { onScopeDispose, readonly, ref, shallowRef } from "vue";

import { csrfToken, Problem, problemOf } from "@/api/client";

/** Requests under way at most: one is being rendered while the next travels. */
const AT_ONCE = 2;

export interface Shown {
  /** What the picture was asked for as. */
  tag: string;
  bitmap: ImageBitmap;
  /** From asking to showing. */
  milliseconds: number;
}

/**
 * Asks for pictures and shows the newest one: while one is under way, requests in between are dropped.
 *
 * Returns read-only state and ``ask``; a picture that was overtaken by a newer one is never shown.
 */
export function useLatest() {
  const shown = shallowRef<Shown | null>(null);
  const failure = shallowRef<Problem | null>(null);
  const count = ref(0);
  let waiting: { url: string; body: unknown; tag: string } | null = null;
  let running = 0;
  let number = 0;
  let newest = 0;
  let ended = false;

  async function fetchPicture(url: string, body: unknown, tag: string) {
    const own = ++number;
    const began = performance.now();
    running += 1;
    try {
      const response = await fetch(url, {
        method: "POST",
        headers: { "Content-Type": "application/json", "X-CSRFToken": csrfToken() },
        body: JSON.stringify(body),
      });
      if (!response.ok) throw await problemOf(response);
      const bitmap = await createImageBitmap(await response.blob());
      if (own < newest || ended) {
        bitmap.close();
        return;
      }
      newest = own;
      shown.value?.bitmap.close();
      shown.value = { tag, bitmap, milliseconds: performance.now() - began };
      failure.value = null;
      count.value += 1;
    } catch (error) {
      if (own < newest || ended) return;
      newest = own;
      failure.value =
        error instanceof Problem
          ? error
          : new Problem(0, "offline", "The server cannot be reached; the picture is not up to date.");
    } finally {
      running -= 1;
      pump();
    }
  }

  function pump() {
    if (!waiting || running >= AT_ONCE || ended) return;
    const next = waiting;
    waiting = null;
    void fetchPicture(next.url, next.body, next.tag);
  }

  function ask(url: string, body: unknown, tag: string) {
    waiting = { url, body, tag };
    pump();
  }

  onScopeDispose(() => {
    ended = true;
    shown.value?.bitmap.close();
  });
  return { shown: readonly(shown), failure: readonly(failure), count: readonly(count), ask };
}
