/** How wide the pictures of a moving hand are asked for, and whether with shadows and mirrors, so that they keep up with it. */
export interface Pace {
  /** Pixels that they are wide. */
  width: number;
  /** How much in a row speaks against shadows and mirrors: beyond 2 they are left out. */
  late: number;
  /** Until then (ms of the page) they are left out. */
  withoutUntil: number;
}

/** Rough pictures are at most so wide, and narrower where this machine would not keep up with the hand; narrower still only where even
 * pictures without shadows and mirrors come too late. */
const WIDEST = 640;
const NARROWEST = { withRays: 400, without: 280 };
/** Widths are whole numbers of this: the server keeps what it drew of what does not change, at the size that it had. */
const STEP = 40;
/** Longest time from asking to showing, in ms, at which pictures under way make a little more than 20 a second. */
const WANTED_MS = 80;
/** From this on a moving hand does not wait for shadows and mirrors any more. */
const TOO_LONG_MS = 1.2 * WANTED_MS;
/** So long: then it is tried again, since it may have been another's work that took the time. */
const WITHOUT_MS = 60_000;

const AT_FIRST: Pace = { width: WIDEST, late: 0, withoutUntil: 0 };

/** What was found out of each shot, so that another desk need not find it out again. */
const found = new Map<number, Pace>();

/** The pace that pictures of a shot had last. */
export function paceOf(shot: number): Pace {
  return found.get(shot) ?? AT_FIRST;
}
export function keepPace(shot: number, pace: Pace) {
  found.set(shot, pace);
}

/** How wide a picture is asked for, where so many pixels are to be seen at most. */
export function widthOf(pace: Pace, most: number): number {
  return Math.min(Math.round(pace.width / STEP) * STEP, most);
}

/** Whether shadows and mirrors are asked for at a time (ms of the page). */
export function withRays(pace: Pace, now: number): boolean {
  return now > pace.withoutUntil;
}

/** The pace after a picture so many pixels wide took so many ms from asking to showing. */
export function paceAfter(pace: Pace, took: number, width: number, now: number): Pace {
  const rays = withRays(pace, now);
  const wanted = pace.width * Math.sqrt(WANTED_MS / took);
  // Slowly, so that one late picture does not make the next ones coarse; at once where it is far from keeping up.
  const share = took > TOO_LONG_MS ? 0.7 : 0.15;
  const least = rays ? NARROWEST.withRays : NARROWEST.without;
  const next = Math.max(least, Math.min(WIDEST, (1 - share) * pace.width + share * wanted));
  if (!rays) return { ...pace, width: next, late: 0 };
  // One late picture tells nothing: it may have been another's work that took the time. Two tell enough where even the narrowest of this
  // kind would be far too late.
  const narrowest = took * (NARROWEST.withRays / width) ** 2;
  const isLate = took > TOO_LONG_MS && next < NARROWEST.withRays + 1;
  const late = narrowest > 2 * TOO_LONG_MS ? pace.late + 2 : isLate ? pace.late + 1 : 0;
  return { width: next, late, withoutUntil: late > 2 ? now + WITHOUT_MS : pace.withoutUntil };
}
