/**
 * Fetches pictures and makes them ready to be drawn, beside the page: that has enough to do while something is dragged, and each step of a
 * picture's way would wait for it.
 */
import type { Wish } from "./painter";

const underWay = new Map<number, AbortController>();

addEventListener("message", (event: MessageEvent<Wish>) => {
  const { number, url, init } = event.data;
  if (!url) underWay.get(number)?.abort();
  else void paint(number, url, init);
});

async function paint(number: number, url: string, init: RequestInit) {
  const hangUp = new AbortController();
  underWay.set(number, hangUp);
  try {
    const response = await fetch(url, { ...init, signal: hangUp.signal });
    if (response.status === 204) {
      self.postMessage({ number, overtaken: true });
    } else if (response.ok) {
      const bitmap = await createImageBitmap(await response.blob());
      self.postMessage({ number, bitmap }, { transfer: [bitmap] });
    } else {
      self.postMessage({ number, refused: { status: response.status, body: await response.text() } });
    }
  } catch {
    self.postMessage({ number });
  } finally {
    underWay.delete(number);
  }
}
