/** Something that was put away: what it is known by, its code, its title, and what else there is to say. */
export interface Away {
  key: string;
  code: string;
  title: string;
  note: string;
}
