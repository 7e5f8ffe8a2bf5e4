import type { SheetMark } from "@/sheet/columns";

const MARKS: Record<string, SheetMark> = {
  waiting: { sign: "·", text: "waiting", tone: "quiet" },
  rendering: { sign: "▸", text: "rendering", tone: "busy" },
  done: { sign: "✓", text: "done", tone: "done" },
  reused: { sign: "=", text: "reused", tone: "done" },
  failed: { sign: "✕", text: "failed", tone: "fail" },
  cleaned: { sign: "–", text: "cleaned up", tone: "quiet" },
  stale: { sign: "~", text: "stale", tone: "warn" },
};

/** How a cell's state stands on the sheet: a sign, a word and a tone. */
export function cellMark(state: string, error: string, stale: boolean): SheetMark {
  const shown = stale && (state === "done" || state === "reused") ? "stale" : state;
  const mark = MARKS[shown] ?? { text: shown };
  return error
    ? { ...mark, title: error }
    : shown === "stale"
      ? { ...mark, title: "The shot was changed since; run it again" }
      : mark;
}

export function megabytes(bytes: number): string {
  if (bytes < 1e5) return `${Math.max(1, Math.round(bytes / 1e3))} kB`;
  return bytes >= 1e9 ? `${(bytes / 1e9).toFixed(1)} GB` : `${(bytes / 1e6).toFixed(bytes < 1e7 ? 1 : 0)} MB`;
}

export function duration(seconds: number): string {
  const whole = Math.max(0, Math.round(seconds));
  // Spaces that do not break: a number stays with its unit.
  if (whole < 60) return `${whole}\u00a0s`;
  if (whole < 3600) return `${Math.floor(whole / 60)}\u00a0min\u00a0${whole % 60}\u00a0s`;
  return `${Math.floor(whole / 3600)}\u00a0h\u00a0${Math.floor((whole % 3600) / 60)}\u00a0min`;
}
