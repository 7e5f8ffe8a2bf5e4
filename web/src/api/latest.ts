/** Time between two questions about states that keep changing, in ms: what is drawn goes before what is said about it. */
const PAUSE = 200;

/**
 * What gives answers to states that change faster than they can be given: one is under way at a time, and after a pause the newest
 * state is asked about; those between are left out.
 */
export function oneAtATime(ask: () => Promise<void>): () => void {
  let busy = false;
  let again = false;
  async function run() {
    if (busy) {
      again = true;
      return;
    }
    busy = true;
    try {
      do {
        again = false;
        await ask();
        if (again) await new Promise((done) => setTimeout(done, PAUSE));
      } while (again);
    } finally {
      busy = false;
    }
  }
  return () => void run();
}

/** Calls for every picture of the screen at most, with what came last. */
export function onceAFrame<T>(act: (last: T) => void): (value: T) => void {
  let waiting: { value: T } | null = null;
  return (value) => {
    const idle = waiting === null;
    waiting = { value };
    if (idle)
      requestAnimationFrame(() => {
        const own = waiting;
        waiting = null;
        if (own) act(own.value);
      });
  };
}
