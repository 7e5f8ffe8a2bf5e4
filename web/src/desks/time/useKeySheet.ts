/** What moves on the sheet of the Time desk: its columns, what is selected in them, and what is done to it. */
import { computed, reactive, ref, shallowRef, watch } from "vue";

import type { Schemas } from "@/api/client";
import { oneAtATime } from "@/api/latest";
import { type Key, type ShotDocument, type Track, valueAt } from "@/shot/document";
import { movesOf, withKey, withoutWave } from "@/shot/moves";
import { useShot } from "@/shot/store";
import { movingValues } from "@/shot/values";

import { type Answers, followed, withAnswer } from "./followed";

type Seen = Schemas["TrackOut"];

export interface Column {
  path: string;
  part: string;
  field: string;
  track: Track;
  thing: string;
  title: string;
  kind: string;
  unit: string;
  /** Limits of its numbers. */
  low: number;
  high: number;
}

/** Frames that are asked for at once, beyond those that are in sight. */
const AROUND = 24;
/** Kinds of values that go along with a key by a share of its change. */
const FOLLOWS = new Set(["number", "vector", "angles"]);
const MARK = "zeitbild-keys";

/** What a part whose values move stands in, its name with it: another object once anything of it has changed. */
function holderOf(document: ShotDocument, part: string): unknown {
  return valueAt(document, part.replace(/\.(camera|backdrop)$/, ""));
}

export type KeySheet = ReturnType<typeof useKeySheet>;

export function useKeySheet() {
  const shot = useShot();
  const seen = shallowRef(new Map<string, Seen>());
  const from = ref(0);
  const to = ref(0);
  /** First frame of the values in ``seen``. */
  const since = ref(0);
  /** Whether a hand is on a curve: what can be told without the server is not asked for until it lets go. */
  const held = ref(false);
  /** Of each track what it was when its values were told last, and before that with another track. */
  const told = shallowRef(new Map<string, Answers>());
  /** Columns and frames from where something was pressed to where it was let go. */
  const chosen = reactive({ column: -1, toColumn: -1, first: 0, last: 0 });

  const columns = computed<Column[]>(() =>
    shot.moving.map((one) => {
      const known = seen.value.get(one.path);
      return {
        ...one,
        thing: known?.thing ?? "",
        title: known?.title ?? "…",
        kind: known?.kind ?? "",
        unit: known?.unit ?? "",
        low: known?.low ?? -Infinity,
        high: known?.high ?? Infinity,
      };
    }),
  );
  const active = computed(() => columns.value[chosen.toColumn] ?? null);
  const span = computed(() => ({
    columns: columns.value.slice(
      Math.max(Math.min(chosen.column, chosen.toColumn), 0),
      Math.max(chosen.column, chosen.toColumn) + 1,
    ),
    first: Math.min(chosen.first, chosen.last),
    last: Math.max(chosen.first, chosen.last),
  }));
  /** Keys that are selected, with the columns that they are in. */
  const keys = computed(() =>
    span.value.columns.flatMap((column) =>
      column.track.keys
        .filter((key) => key.frame >= span.value.first && key.frame <= span.value.last)
        .map((key) => ({ column, key })),
    ),
  );

  /** Values of what is dragged, until they are told. */
  const ahead = computed(() => {
    const found = new Map<string, unknown[]>();
    for (const { path, track, kind, low, high } of columns.value) {
      const known = told.value.get(path);
      if (!known || known.last.track === track || !FOLLOWS.has(kind) || track.shortest) continue;
      const values = followed(known, track, low, high);
      if (values) found.set(path, values);
    }
    return found;
  });

  /** What the values in ``seen`` were asked of: while a key is dragged the values of one part are asked for, and not all. */
  let asked: { document: ShotDocument; first: number; last: number } | null = null;
  const look = oneAtATime(async () => {
    const document = shot.draft;
    if (!document || !shot.moving.length) return;
    const first = Math.max(0, from.value - AROUND);
    const frames = Array.from({ length: Math.min(to.value + AROUND - first + 1, 400) }, (_, at) => first + at);
    const last = first + frames.length - 1;
    const same = asked?.first === first && asked.last === last;
    const holds = same && asked?.document.timing === document.timing;
    const known = holds && asked ? asked.document : null;
    const tracks = shot.moving.filter(
      (one) => !known || !seen.value.has(one.path) || holderOf(known, one.part) !== holderOf(document, one.part),
    );
    const isKnown = ({ path, track }: { path: string; track: Track }) =>
      ahead.value.has(path) || told.value.get(path)?.last.track === track;
    if (held.value && known && tracks.every(isKnown)) return;
    const wanted = tracks.length < shot.moving.length ? tracks.map((one) => one.path) : [];
    const found = tracks.length ? await movingValues(shot.id, document, frames, wanted) : [];
    if (!found) return;
    asked = { document, first, last };
    since.value = first;
    const tracksNow = new Map(tracks.map((one) => [one.path, one.track]));
    const answers = new Map(same ? told.value : []);
    for (const { path, values } of found) {
      const track = tracksNow.get(path);
      if (track) answers.set(path, withAnswer(answers.get(path), { track, values }));
    }
    told.value = answers;
    const now = new Map(found.map((one) => [one.path, one]));
    for (const { path } of shot.moving) {
      const before = seen.value.get(path);
      if (before && !now.has(path)) now.set(path, before);
    }
    seen.value = now;
  });
  watch([() => shot.draft, from, to, held], look, { immediate: true });

  /** A hand takes hold of a curve, or lets go of it. */
  function hold(on: boolean) {
    held.value = on;
  }
  function inSight(first: number, last: number) {
    // In steps, so that scrolling does not ask at every line.
    const step = AROUND / 2;
    from.value = Math.floor(first / step) * step;
    to.value = Math.ceil(last / step) * step;
  }
  function valueAt(column: Column, frame: number): unknown {
    return (ahead.value.get(column.path) ?? seen.value.get(column.path)?.values)?.[frame - since.value];
  }

  function choose(column: number, frame: number, extend = false) {
    chosen.toColumn = column;
    chosen.last = frame;
    if (extend && chosen.column >= 0) return;
    chosen.column = column;
    chosen.first = frame;
  }
  function chooseColumn(column: number) {
    const own = columns.value[column]?.track.keys ?? [];
    chosen.column = chosen.toColumn = column;
    chosen.first = own[0]?.frame ?? shot.frame;
    chosen.last = own.at(-1)?.frame ?? shot.frame;
  }
  function chooseNone() {
    chosen.column = chosen.toColumn = -1;
  }
  function chooseField(path: string) {
    const at = columns.value.findIndex((one) => one.path === path);
    if (at >= 0) choose(at, shot.frame);
  }

  /** Tracks changed here, which the server checks when it saves them. */
  function change(changes: Map<string, Track>, what: string, commit = true) {
    const parts = new Map<string, Record<string, Track>>();
    for (const column of columns.value) {
      const track = changes.get(column.path);
      if (!track || !shot.draft) continue;
      parts.set(column.part, {
        ...(parts.get(column.part) ?? movesOf(shot.draft, column.part)),
        [column.field]: track,
      });
    }
    const edits = Object.fromEntries([...parts].map(([part, moves]) => [`${part}.moves`, moves]));
    for (const [path, moves] of Object.entries(edits)) shot.edit(path, moves, false, what);
    if (commit) void shot.save();
  }
  function changeKeys(values: Partial<Key>, what: string, commit = true) {
    const wanted = new Set(keys.value.map(({ key }) => key));
    const changes = new Map(
      span.value.columns.map((column) => [
        column.path,
        { ...column.track, keys: column.track.keys.map((key) => (wanted.has(key) ? { ...key, ...values } : key)) },
      ]),
    );
    change(changes, what, commit);
  }
  function changeTracks(values: Partial<Track>, what: string, commit = true) {
    change(new Map(span.value.columns.map((column) => [column.path, { ...column.track, ...values }])), what, commit);
  }
  function setKey(column: Column, frame: number, value: unknown, what: string, commit = true) {
    const written = shot.draft ? withoutWave(shot.draft, column.track, frame, value) : value;
    change(new Map([[column.path, withKey(column.track, frame, written)]]), what, commit);
  }

  const paths = () => span.value.columns.map((one) => one.path);
  function retime(what: string, given: Parameters<typeof shot.retime>[1], label: string) {
    const { first, last } = span.value;
    return shot.retime(what, { tracks: paths(), first, last, ...given }, label);
  }
  async function putKeys() {
    await shot.retime("key", { tracks: paths(), first: shot.frame }, `Key at frame ${shot.frame}`);
  }
  async function remove() {
    const count = keys.value.length;
    if (count) await retime("delete", {}, count === 1 ? "Take a key away" : `Take ${count} keys away`);
  }
  async function move(by: number) {
    if (by && (await retime("move", { by }, `Move keys by ${by}`))) {
      chosen.first += by;
      chosen.last += by;
    }
  }

  function copied(): string {
    const { first, last } = span.value;
    const tracks = span.value.columns.map((column) => ({
      path: column.path,
      kind: column.kind,
      keys: column.track.keys
        .filter((key) => key.frame >= first && key.frame <= last)
        .map((key) => ({ ...key, frame: key.frame - first })),
    }));
    return JSON.stringify({ [MARK]: 1, frames: last - first + 1, tracks }, null, 2);
  }
  /** Keys put at the frame that is looked at, in place of those there: in the columns that are selected if they are as many, or else where
   * they are from. What is wrong with that is said; null: nothing of ours. */
  function paste(text: string): string | null {
    let found: { [MARK]?: 1; frames: number; tracks: { path: string; kind: string; keys: Key[] }[] };
    try {
      found = JSON.parse(text) as typeof found;
    } catch {
      return null;
    }
    if (found[MARK] !== 1 || !Array.isArray(found.tracks)) return null;
    const many = span.value.columns.length === found.tracks.length;
    const changes = new Map<string, Track>();
    const at = shot.frame;
    for (const [index, one] of found.tracks.entries()) {
      const column = many ? span.value.columns[index] : columns.value.find((other) => other.path === one.path);
      if (!column) continue;
      if (column.kind !== one.kind) return `${column.title} takes no ${one.kind}: select columns of the same kind`;
      const kept = column.track.keys.filter((key) => key.frame < at || key.frame >= at + found.frames);
      const keys = [...kept, ...one.keys.map((key) => ({ ...key, frame: key.frame + at }))];
      changes.set(column.path, { ...column.track, keys: keys.sort((a, b) => a.frame - b.frame) });
    }
    if (!changes.size)
      return "None of the columns that these keys are from is here; select as many columns as were copied";
    change(changes, "Paste keys");
    return "";
  }

  return {
    columns,
    chosen,
    active,
    span,
    keys,
    hold,
    inSight,
    valueAt,
    seen,
    since,
    choose,
    chooseColumn,
    chooseNone,
    chooseField,
    change,
    changeKeys,
    changeTracks,
    setKey,
    retime,
    putKeys,
    remove,
    move,
    copied,
    paste,
  };
}

/** A value as it stands in a narrow cell. */
export function short(value: unknown): string {
  if (typeof value === "number") return String(Math.round(value * 100) / 100);
  if (typeof value === "boolean") return value ? "on" : "off";
  if (Array.isArray(value)) {
    // Three numbers fit a narrow column if the larger ones go without what they hardly need.
    const part = (one: number) => String(Math.abs(one) >= 10 ? Math.round(one) : Math.round(one * 10) / 10);
    return value.map((one) => part(Number(one))).join(" ");
  }
  return typeof value === "string" ? value : "";
}

/** What somebody typed in a cell, as a value of its kind; null if it is none. */
export function typed(kind: string, text: string, count: number): unknown {
  const plain = text.trim();
  if (kind === "number" || kind === "whole") {
    const value = Number(plain.replace(",", "."));
    return plain && Number.isFinite(value) ? (kind === "whole" ? Math.round(value) : value) : null;
  }
  if (kind === "vector" || kind === "angles") {
    const values = plain.split(/[\s;]+/).map((one) => Number(one.replace(",", ".")));
    return values.length === count && values.every(Number.isFinite) ? values : null;
  }
  if (kind === "colour") return /^#?[0-9a-f]{6}$/i.test(plain) ? `#${plain.replace("#", "").toLowerCase()}` : null;
  if (kind === "switch") {
    const word = plain.toLowerCase();
    return ["on", "yes", "1", "true"].includes(word) ? true : ["off", "no", "0", "false"].includes(word) ? false : null;
  }
  return plain || null;
}
