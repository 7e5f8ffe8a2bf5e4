<script setup lang="ts">
/** The lines of a sheet: frame numbers, and what the columns of a desk say beside each. */
import { computed } from "vue";

import type { SheetColumn, SheetMark } from "./columns";

const props = defineProps<{
  /** Frames in sight, and the one of the first line. */
  rows: number[];
  start: number;
  /** Pixels of a line. */
  row: number;
  first: number;
  last: number;
  step: number;
  handles: number;
  frame: number;
  columns: SheetColumn[];
  /** Whether the number of the frame that is looked at carries the playhead's colour. */
  marked: boolean;
}>();
const emit = defineEmits<{ go: [frame: number] }>();

const TONES: Record<string, string> = {
  plain: "",
  done: "bg-done/15 text-done",
  busy: "bg-now/15 text-now-deep hatched",
  warn: "bg-warn/15 text-warn",
  fail: "bg-now/20 text-now-deep font-semibold",
  quiet: "text-soft",
};
function tone(mark: SheetMark | null) {
  return TONES[mark?.tone ?? "plain"];
}
const ends = computed(() => [props.first - props.handles, props.last + props.handles] as const);
function within(frame: number) {
  return frame >= ends.value[0] && frame <= ends.value[1];
}
function inside(frame: number) {
  return within(frame) && (frame - props.first) % props.step === 0;
}
function marksOf(frame: number) {
  return props.columns.map((column) => ({ column, mark: inside(frame) ? column.mark(frame) : null }));
}
function numberClass(frame: number) {
  if (props.marked && frame === props.frame) return "bg-now! font-semibold text-white";
  if (!inside(frame)) return "text-soft/60";
  return frame % 5 === 0 ? "font-semibold" : "text-soft";
}
</script>

<template>
  <div role="listbox" aria-label="Frames">
    <button
      v-for="one in rows"
      :key="one"
      type="button"
      tabindex="-1"
      role="option"
      :aria-selected="one === frame"
      :disabled="!within(one)"
      class="absolute flex w-full items-stretch border-b text-left"
      :class="[
        one % 5 === 0 ? 'border-rule/80' : 'border-line/60',
        one === frame ? 'bg-select/60' : 'enabled:hover:bg-select/40',
      ]"
      :style="`top: ${(one - start) * row}px; height: ${row}px`"
      @click="emit('go', one)"
    >
      <span
        class="sticky left-0 z-10 w-15 shrink-0 bg-sheet pr-2 text-right leading-[21px]"
        :class="numberClass(one)"
        >{{ one }}</span
      >
      <span
        v-for="{ column, mark } in marksOf(one)"
        :key="column.key"
        class="condensed min-w-0 flex-1 truncate border-l border-line px-1.5 text-xs leading-[21px]"
        :class="tone(mark)"
        :style="column.width ? `flex: 0 0 ${column.width}` : ''"
        :title="mark?.title ?? mark?.text"
        ><img v-if="mark?.image" :src="mark.image" alt="" class="-mx-1.5 h-full max-w-none object-cover" /><template
          v-else
          >{{ mark?.sign }} {{ mark?.text }}</template
        ></span
      >
    </button>
  </div>
</template>
