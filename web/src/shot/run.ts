import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";

import { answer, api, type Schemas } from "@/api/client";

import { framesOf } from "./frameSet";

export type Run = Schemas["RunOut"];
export type Cell = Schemas["CellOut"];

interface RunChange {
  run: Run;
  cells: Cell[];
}

/** Before a line that was closed for good is opened again. */
const AGAIN_MS = 3000;

/** The run that Run, Proof and Hand off look at: the shot's newest, kept up to date by server-sent events. */
export const useRun = defineStore("run", () => {
  const run = shallowRef<Run | null>(null);
  const runs = shallowRef<Run[]>([]);
  /** Names of the layers, and what is known of each cell that was begun; what has none waits. */
  const layers = shallowRef<string[]>([]);
  /** Pixels of its frames: the shot's may be others by now. */
  const raster = shallowRef<Schemas["RasterOut"] | null>(null);
  const cells = shallowRef(new Map<string, Cell>());
  const stale = ref(new Set<number>());
  const newest = ref<{ layer: string; frame: number } | null>(null);
  const loaded = ref(false);
  let source: EventSource | null = null;

  /** Frames of each layer that are rendered. */
  const finishedOf = computed(() => {
    const frames = new Map<string, Set<number>>();
    for (const cell of cells.value.values())
      if (cell.state === "done" || cell.state === "reused") {
        const own = frames.get(cell.layer) ?? new Set<number>();
        frames.set(cell.layer, own.add(cell.frame));
      }
    return frames;
  });
  /** Which layer Run, Proof and Hand off look at: the one that was chosen, as long as the run has it. */
  const wanted = ref("");
  const layer = computed(() => (layers.value.includes(wanted.value) ? wanted.value : (layers.value[0] ?? "")));
  const finished = computed(() => finishedOf.value.get(layer.value) ?? new Set<number>());
  function look(at: string) {
    wanted.value = at;
  }
  let staleTimer = 0;
  const underWay = computed(() => run.value?.state === "waiting" || run.value?.state === "running");

  function key(layer: string, frame: number) {
    return `${layer}/${frame}`;
  }

  function close() {
    source?.close();
    source = null;
  }

  function watch(runId: number, mark: string) {
    close();
    source = new EventSource(`/api/runs/${runId}/events?mark=${encodeURIComponent(mark)}`);
    source.onmessage = (message: MessageEvent<string>) => {
      const change = JSON.parse(message.data) as RunChange;
      run.value = change.run;
      runs.value = runs.value.map((one) => (one.id === change.run.id ? change.run : one));
      const next = new Map(cells.value);
      // What was under way when the run ended or its worker died waits again.
      if (!change.run.progress.rendering)
        for (const [at, cell] of next) if (cell.state === "rendering") next.delete(at);
      for (const cell of change.cells) {
        const known = next.get(key(cell.layer, cell.frame));
        if (cell.state === "done" && known && known.state !== "done")
          newest.value = { layer: cell.layer, frame: cell.frame };
        next.set(key(cell.layer, cell.frame), cell);
      }
      cells.value = next;
    };
    source.onerror = () => {
      const closed = source?.readyState === EventSource.CLOSED;
      if (closed) window.setTimeout(() => run.value?.id === runId && underWay.value && void show(runId), AGAIN_MS);
    };
    // The server says so when nothing more will come; without closing, the browser would ask again for ever.
    source.addEventListener("end", close);
  }

  function take(full: Schemas["RunFull"]) {
    run.value = full;
    layers.value = full.layers;
    raster.value = full.raster;
    const found = new Map<string, Cell>();
    for (const [layer, states] of Object.entries(full.states))
      for (const [state, set] of Object.entries(states))
        for (const frame of framesOf(set)) found.set(key(layer, frame), { layer, frame, state, error: "", seconds: 0 });
    for (const cell of full.failed) found.set(key(cell.layer, cell.frame), cell);
    cells.value = found;
    loaded.value = true;
    if (underWay.value) watch(full.id, full.mark);
    else close();
    stale.value = new Set();
    void lookForStale(full.id);
  }

  /** Which frames are stale comes in parts: long runs take a while to look through. */
  async function lookForStale(runId: number) {
    window.clearTimeout(staleTimer);
    const found = await answer(api.GET("/api/runs/{run_id}/stale", { params: { path: { run_id: runId } } }));
    if (run.value?.id !== runId) return;
    stale.value = new Set(framesOf(found.frames));
    if (!found.complete) staleTimer = window.setTimeout(() => void lookForStale(runId), 50);
  }

  async function show(runId: number) {
    newest.value = null;
    take(await answer(api.GET("/api/runs/{run_id}", { params: { path: { run_id: runId } } })));
  }

  async function open(shotId: number) {
    loaded.value = false;
    const path = { params: { path: { shot_id: shotId } } };
    runs.value = await answer(api.GET("/api/shots/{shot_id}/runs", path));
    const kept = runs.value.find((one) => one.id === run.value?.id) ?? runs.value[0];
    if (kept) {
      await show(kept.id);
      return;
    }
    close();
    run.value = null;
    layers.value = [];
    raster.value = null;
    cells.value = new Map();
    stale.value = new Set();
    loaded.value = true;
  }

  async function start(shotId: number, base: number, frameSet: string, quality: string, layers: string[]) {
    const body = { base, frame_set: frameSet, quality, layers };
    newest.value = null;
    const full = await answer(api.POST("/api/shots/{shot_id}/runs", { params: { path: { shot_id: shotId } }, body }));
    runs.value = [full, ...runs.value];
    take(full);
  }

  async function steer(verb: "stop" | "continue" | "retry") {
    if (!run.value) return;
    const params = { params: { path: { run_id: run.value.id } } };
    const calls = {
      stop: () => api.POST("/api/runs/{run_id}/stop", params),
      continue: () => api.POST("/api/runs/{run_id}/continue", params),
      retry: () => api.POST("/api/runs/{run_id}/retry", params),
    };
    run.value = await answer<Run>(calls[verb]());
    await show(run.value.id);
  }

  return {
    run,
    runs,
    layers,
    raster,
    cells,
    stale,
    newest,
    loaded,
    finished,
    layer,
    look,
    underWay,
    key,
    open,
    show,
    start,
    steer,
    close,
  };
});
