<script setup lang="ts">
/** One column of keys: circled where a value is set, a line where it holds, dots where it is on its way. */
import { computed } from "vue";

import type { Key, Track } from "@/shot/document";

import { short } from "./useKeySheet";

/** Keys that are being dragged: from frame to frame, by so many lines. */
export interface Dragged {
  first: number;
  last: number;
  by: number;
}
const props = defineProps<{
  track: Track;
  kind: string;
  path: string;
  /** Of what, as it is read out. */
  name: string;
  start: number;
  row: number;
  from: number;
  to: number;
  lines: number;
  dragged: Dragged | null;
}>();

interface Stretch {
  top: number;
  height: number;
  moves: boolean;
}
const top = (frame: number) => (frame - props.start) * props.row;

/** Lines between keys, as far as they are in sight. */
const stretches = computed<Stretch[]>(() => {
  const { keys, wave } = props.track;
  if (wave || !keys.length) return [{ top: 0, height: props.lines * props.row, moves: true }];
  const found: Stretch[] = [];
  const add = (first: number, last: number, moves: boolean) => {
    const a = Math.max(first, props.from);
    const b = Math.min(last, props.to + 1);
    if (b > a) found.push({ top: top(a), height: (b - a) * props.row, moves });
  };
  const first = keys[0];
  const end = keys.at(-1);
  if (first && end) {
    add(props.start, first.frame, props.track.before !== "hold" && keys.length > 1);
    keys.forEach((key, at) => {
      const next = keys[at + 1];
      const stays = !next || key.way === "hold" || JSON.stringify(key.value) === JSON.stringify(next.value);
      if (next) add(key.frame + 1, next.frame, !stays && !["switch", "choice"].includes(props.kind));
    });
    add(end.frame + 1, props.start + props.lines, props.track.after !== "hold" && keys.length > 1);
  }
  return found;
});
const keys = computed(() => props.track.keys.filter((key) => key.frame >= props.from - 1 && key.frame <= props.to + 1));
/** By how many pixels a key is dragged. */
function shift(frame: number) {
  const own = props.dragged;
  return own && frame >= own.first && frame <= own.last ? own.by * props.row : 0;
}
function title(key: Key) {
  return `${props.name}: ${short(key.value)} at frame ${key.frame}`;
}
</script>

<template>
  <div class="condensed absolute inset-y-0 border-l border-line text-xs">
    <span
      v-for="one in stretches"
      :key="one.top"
      class="pointer-events-none absolute left-2.5 w-0"
      :class="one.moves ? 'border-l-2 border-dotted border-select-ink/60' : 'border-l border-rule'"
      :style="`top: ${one.top}px; height: ${one.height}px`"
    />
    <span
      v-for="key in keys"
      :key="key.frame"
      class="pointer-events-none absolute inset-x-0 flex items-center gap-1 pl-1"
      :class="{ 'z-10': shift(key.frame) }"
      :style="`top: ${top(key.frame) + shift(key.frame)}px; height: ${row}px`"
      :title="title(key)"
      :data-key="`${path} ${key.frame}`"
    >
      <span
        class="grid size-3 shrink-0 place-items-center rounded-full border-[1.5px] border-select-ink bg-sheet"
        :style="kind === 'colour' ? { background: String(key.value) } : {}"
      />
      <span class="truncate font-medium">{{ short(key.value) }}</span>
    </span>
  </div>
</template>
