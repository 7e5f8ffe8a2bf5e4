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

/** Least time between two steps of something that is dragged, in ms: more than thirty a second are not seen, and the pictures that they ask
 * for are made by the same processor. */
const STEP = 30;

/** Calls for every second picture of a quick screen at most, with what came last. */
export function inSteps<T>(act: (last: T) => void): (value: T) => void {
  let waiting: { value: T } | null = null;
  let acted = 0;
  function step(now: number) {
    if (now - acted < STEP) {
      requestAnimationFrame(step);
      return;
    }
    const own = waiting;
    waiting = null;
    acted = now;
    if (own) act(own.value);
  }
  return (value) => {
    const idle = waiting === null;
    waiting = { value };
    if (idle) requestAnimationFrame(step);
  };
}
