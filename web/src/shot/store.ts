import { defineStore } from "pinia";
import { computed, ref, shallowRef, watch } from "vue";

import { answer, api, finished, Problem, type Schemas } from "@/api/client";
import { oneAtATime } from "@/api/latest";

import { type ShotDocument, valueAt, withValue } from "./document";
import { isHeld } from "./held";
import { allTracks, withEdit } from "./moves";
import { movingValues } from "./values";

type Saved = Schemas["ShotOut"];
type Examined = Schemas["ExaminedOut"];

/** Time that must pass without another edit before the document is examined, in ms. */
const EXAMINE_AFTER = 120;
/** Time that must pass without another edit before what nobody committed yet is saved as well, in ms. */
const SAVE_AFTER = 1500;

/**
 * The shot that all desks work on: a draft that answers at once, saved as a revision at every committed edit, and
 * at every pause of somebody who types.
 *
 * Nothing is lost: a draft that the server refuses stays, with its problems beside their fields, and is saved when it
 * holds; a draft that meets somebody else's save waits until the person decides.
 */
export const useShot = defineStore("shot", () => {
  const id = ref(0);
  const meta = shallowRef<Saved | null>(null);
  const draft = shallowRef<ShotDocument | null>(null);
  const frame = ref(1);
  const saving = ref(false);
  const dirty = ref(false);
  const failure = ref<Problem | null>(null);
  const problems = ref<Record<string, string>>({});
  const examined = shallowRef<Examined | null>(null);
  const conflict = ref<number | null>(null);
  /** What the last thing that was done to time has to say, or why it was not done. */
  const retimeNote = ref("");
  /** Who may only look turns the set as everybody does, and nothing of it is kept. */
  const looking = computed(() => meta.value?.role === "viewer");
  let label = "";
  let examineTimer = 0;
  let saveTimer = 0;
  let saveAgain = false;
  let examineNumber = 0;

  /** Parts of the draft by themselves: who reads only these is not drawn again whenever something else of it changes. */
  const timing = computed(() => draft.value?.timing);
  const raster = computed(() => draft.value?.raster);
  const frames = computed(() => {
    if (!timing.value) return [];
    const { first, last, step } = timing.value;
    const list: number[] = [];
    for (let at = first; at <= last && list.length < 100_000; at += step) list.push(at);
    return list;
  });

  /** What moves, at the frame that is looked at; of another document or frame until the answer to this one is there. */
  const now = shallowRef<Record<string, unknown>>({});
  const moving = computed(() => (draft.value ? allTracks(draft.value) : []));
  /** The draft with the values that it has at the frame. */
  const seen = computed(() => {
    let document = draft.value;
    for (const { path } of moving.value)
      if (document && path in now.value) document = withValue(document, path, now.value[path]);
    return document;
  });
  const lookAtNow = oneAtATime(async () => {
    const document = draft.value;
    if (!document || !moving.value.length) return;
    const [at, own] = [frame.value, id.value];
    const found = await movingValues(own, document, [at]);
    if (found && at === frame.value && own === id.value)
      now.value = Object.fromEntries(found.map((one) => [one.path, one.values[0]]));
  });
  watch([draft, frame], lookAtNow);

  function adopt(saved: Saved) {
    window.clearTimeout(saveTimer);
    meta.value = saved;
    draft.value = saved.document as unknown as ShotDocument;
    dirty.value = false;
    problems.value = {};
    failure.value = null;
    retimeNote.value = "";
    frame.value = within(frame.value);
    scheduleExamine();
  }

  /** The nearest frame that is rendered: of the piece or its handles. */
  function within(wanted: number) {
    if (!timing.value) return wanted;
    const { first, last, handles } = timing.value;
    return Math.min(Math.max(wanted, first - handles), last + handles);
  }

  async function open(shotId: number) {
    if (id.value !== shotId) {
      draft.value = meta.value = examined.value = null;
      conflict.value = null;
      now.value = {};
    }
    // What was left a moment ago may still be on its way.
    await saved();
    id.value = shotId;
    const found = await answer(api.GET("/api/shots/{shot_id}", { params: { path: { shot_id: shotId } } }));
    const isNew = draft.value === null;
    adopt(found);
    if (isNew && draft.value) frame.value = draft.value.timing.first;
  }

  function scheduleExamine() {
    window.clearTimeout(examineTimer);
    examineTimer = window.setTimeout(() => void examine(), EXAMINE_AFTER);
  }

  async function examine() {
    const document = draft.value;
    if (!document) return;
    const number = ++examineNumber;
    try {
      const found = await finished<Schemas["ExaminedOut"]>(
        id.value,
        () =>
          api.POST("/api/shots/{shot_id}/examine", {
            params: { path: { shot_id: id.value } },
            body: { document: document as unknown as Record<string, never>, recipe: "png8", version: 1 },
          }),
        () => number === examineNumber,
      );
      if (!found) return;
      examined.value = found;
      if (failure.value?.code === "document") problems.value = {};
    } catch (error) {
      if (number === examineNumber) note(error);
    }
  }

  /** Show an error beside the fields that it names. */
  function note(error: unknown) {
    if (!(error instanceof Problem)) throw error;
    failure.value = error;
    const byField: Record<string, string> = {};
    for (const one of error.problems) byField[one.field] = one.message;
    problems.value = byField;
  }

  function clearNote() {
    failure.value = null;
    problems.value = {};
  }

  /** Change the draft; with ``commit`` it is saved as a revision that undo goes back over. */
  function edit(path: string, value: unknown, commit: boolean, what = "") {
    if (!draft.value) return;
    draft.value = withEdit(draft.value, path, value, frame.value);
    if (path in now.value) now.value = { ...now.value, [path]: value };
    dirty.value = true;
    label = what || label;
    scheduleExamine();
    if (commit) void save();
    else scheduleSave();
  }

  /** Save what is typed and not committed, but not in the middle of a drag, which is one step. */
  function scheduleSave() {
    window.clearTimeout(saveTimer);
    saveTimer = window.setTimeout(() => (isHeld() ? scheduleSave() : void save()), SAVE_AFTER);
  }

  function editMany(values: Record<string, unknown>, what: string) {
    for (const [path, value] of Object.entries(values)) edit(path, value, false);
    label = what;
    void save();
  }

  /** Do something to the time of the draft, as one step; false if it cannot be done, which is then said. */
  async function retime(what: string, given: Omit<Schemas["RetimeIn"], "document" | "what">, step: string) {
    retimeNote.value = "";
    try {
      for (;;) {
        const document = draft.value;
        if (!document) return false;
        const found = await answer(
          api.POST("/api/shots/{shot_id}/retime", {
            params: { path: { shot_id: id.value } },
            body: { ...given, what, document: document as unknown as Record<string, never> },
          }),
        );
        // What was edited meanwhile is part of it: it is done anew.
        if (draft.value !== document) continue;
        editMany(found.values, step);
        retimeNote.value = found.note;
        return true;
      }
    } catch (error) {
      if (!(error instanceof Problem)) throw error;
      retimeNote.value = error.problems[0]?.message ?? error.message;
      return false;
    }
  }

  async function save(base = meta.value?.revision ?? 0) {
    if (!draft.value || !dirty.value || conflict.value !== null || looking.value) return;
    if (saving.value) {
      saveAgain = true;
      return;
    }
    saving.value = true;
    saveAgain = false;
    window.clearTimeout(saveTimer);
    const [sent, own] = [draft.value, id.value];
    try {
      const saved = await answer(
        api.PUT("/api/shots/{shot_id}/document", {
          params: { path: { shot_id: id.value } },
          body: { base, document: sent as unknown as Record<string, never>, label },
        }),
      );
      if (own === id.value) {
        meta.value = saved;
        clearNote();
        label = "";
        dirty.value = draft.value !== sent;
      }
    } catch (error) {
      // Somebody who has gone on to another shot sees nothing of this one.
      if (own === id.value) {
        if (error instanceof Problem && error.status === 409) conflict.value = error.current;
        else note(error);
      }
    } finally {
      saving.value = false;
    }
    // Edits while the last save was under way.
    if (!dirty.value || draft.value === sent || failure.value) return;
    if (saveAgain) void save();
    else scheduleSave();
  }

  async function saved() {
    while (saving.value) await new Promise((done) => setTimeout(done, 20));
  }

  /** After a conflict: put the own draft on top of the other's revision (which stays in the history). */
  async function keepMine() {
    const current = conflict.value ?? 0;
    conflict.value = null;
    dirty.value = true;
    await save(current);
  }

  async function takeTheirs() {
    conflict.value = null;
    await open(id.value);
  }

  /** One after the other: who presses twice goes back twice. */
  let steps: Promise<void> = Promise.resolve();
  function step(direction: "undo" | "redo") {
    const next = steps.then(() => stepOnce(direction));
    steps = next.catch(() => {});
    return next;
  }
  async function stepOnce(direction: "undo" | "redo") {
    // An undo right after an edit waits for that edit to be saved, or it would undo the one before.
    await saved();
    if (conflict.value !== null) return;
    if (dirty.value && failure.value && meta.value && direction === "undo") {
      // A draft that does not hold was never saved: undo goes back to what is.
      adopt(meta.value);
      return;
    }
    if (looking.value) {
      if (meta.value) adopt(meta.value);
      return;
    }
    const params = { params: { path: { shot_id: id.value } }, body: { base: meta.value?.revision ?? 0 } };
    try {
      const call =
        direction === "undo"
          ? api.POST("/api/shots/{shot_id}/undo", params)
          : api.POST("/api/shots/{shot_id}/redo", params);
      adopt(await answer(call));
    } catch (error) {
      if (error instanceof Problem && error.status === 409) {
        await open(id.value);
        note(error);
        return;
      }
      if (!(error instanceof Problem) || error.status !== 422) throw error;
    }
  }

  function goTo(next: number) {
    frame.value = within(next);
  }

  function walk(steps: number) {
    const list = frames.value;
    if (!list.length) return;
    const at = list.findIndex((one) => one >= frame.value);
    const now = at < 0 ? list.length - 1 : at;
    frame.value = list[Math.min(Math.max(now + steps, 0), list.length - 1)] ?? frame.value;
  }

  function get(path: string): unknown {
    return seen.value ? valueAt(seen.value, path) : undefined;
  }

  return {
    id,
    meta,
    draft,
    frame,
    timing,
    raster,
    frames,
    saving,
    dirty,
    failure,
    problems,
    examined,
    conflict,
    looking,
    open,
    edit,
    editMany,
    seen,
    moving,
    now,
    retime,
    retimeNote,
    save,
    keepMine,
    takeTheirs,
    undo: () => step("undo"),
    redo: () => step("redo"),
    goTo,
    walk,
    get,
    note,
    clearNote,
  };
});
