/**
 * What gives answers to states that change faster than they can be given: one is under way at a time, and after it the newest state
 * is asked about, those between are left out.
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
      } while (again);
    } finally {
      busy = false;
    }
  }
  return () => void run();
}
