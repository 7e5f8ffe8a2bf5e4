/** What was computed before if it says the same as what is computed now: who reads it then has nothing to draw again. */
export function unchanged<T>(before: T | undefined, now: T): T {
  return JSON.stringify(before) === JSON.stringify(now) ? (before as T) : now;
}
