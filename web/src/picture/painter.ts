import { problemOf } from "@/api/client";

/** What the worker is asked for; without an address: that a number is given up. */
export interface Wish {
  number: number;
  url?: string;
  init: RequestInit;
}
/** What it answers: a picture, that a newer one overtook it, what the server said instead, or nothing if that could not be reached. */
export interface Painted {
  number: number;
  overtaken?: boolean;
  bitmap?: ImageBitmap;
  refused?: { status: number; body: string };
}

let worker: Worker | null = null;
let last = 0;
const waiting = new Map<number, (painted: Painted) => void>();

function painter(): Worker {
  if (!worker) {
    worker = new Worker(new URL("./painter.worker.ts", import.meta.url), { type: "module" });
    // A worker that cannot be had answers nobody; the next picture asks for another one.
    worker.addEventListener("error", () => {
      worker = null;
      for (const [number, done] of waiting) done({ number });
      waiting.clear();
    });
    worker.addEventListener("message", (event: MessageEvent<Painted>) => {
      waiting.get(event.data.number)?.(event.data);
      waiting.delete(event.data.number);
    });
  }
  return worker;
}

/** A picture from the server, ready to be drawn, fetched beside the page; null if a newer one in its line overtook it. Throws the Problem that says why there is none, or a TypeError as
 * ``fetch`` does if the server cannot be reached or the signal gave it up. */
export async function paint(url: string, init: RequestInit, signal: AbortSignal): Promise<ImageBitmap | null> {
  const number = ++last;
  const own = painter();
  const painted = await new Promise<Painted>((done) => {
    waiting.set(number, done);
    own.postMessage({ number, url, init } satisfies Wish);
    signal.addEventListener("abort", () => own.postMessage({ number, init: {} } satisfies Wish), { once: true });
  });
  if (painted.bitmap) return painted.bitmap;
  if (painted.overtaken) return null;
  if (painted.refused) throw await problemOf(new Response(painted.refused.body, { status: painted.refused.status }));
  throw new TypeError("no answer");
}
