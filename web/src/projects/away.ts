/** Something that was put away: what it is known by, its code, its title, and what else there is to say. */
export interface Away {
  key: string;
  code: string;
  title: string;
  note: string;
}

/** A project or a shot that was. */
export function awayRow(one: { id: number; code: string; title: string }, note: string): Away {
  return { key: String(one.id), code: one.code, title: one.title, note };
}
