<script setup lang="ts">
/** The exposure sheet: frames run downwards, columns belong to the desk, the playhead is a line across. */
import { computed, nextTick, onMounted, ref, useTemplateRef, watch } from "vue";

import { NUMBERS, type SheetColumn } from "./columns";
import SheetRows from "./SheetRows.vue";

const props = defineProps<{
  first: number;
  last: number;
  step: number;
  frame: number;
  cycle: boolean;
  columns: SheetColumn[];
  /** Ends of the bracket can be dragged. */
  bracket?: boolean;
  /** Pixels that columns of the slot take; they are moved sideways where the sheet is narrower. */
  wide?: number;
  /** Frames at both ends of the range that are rendered with it. */
  handles?: number;
  /** First and last frame that are there to be seen, if they lie outside of the range. */
  reach?: [number, number] | undefined;
}>();
/** Columns of a desk's own in place of marks: their heads, and what stands below them, in lines of ``row`` pixels from frame ``start`` on. */
defineSlots<{
  heads?: () => unknown;
  columns?: (lines: { start: number; row: number; from: number; to: number; lines: number }) => unknown;
}>();
const emit = defineEmits<{ go: [frame: number]; range: [first: number, last: number]; rangeDone: [] }>();

const ROW = 22;
/** Lines shown before and after the range, so that its bracket has an outside. */
const OUTSIDE = 3;
const box = useTemplateRef("box");
const head = useTemplateRef("head");
const top = ref(0);
/** How far columns are moved sideways; numbers and bracket stay where they are. */
const side = ref(0);
const height = ref(600);

const start = computed(() =>
  Math.max(0, Math.min(props.first - OUTSIDE - (props.handles ?? 0), props.reach?.[0] ?? props.first)),
);
const end = computed(() => Math.max(props.last + OUTSIDE + (props.handles ?? 0), props.reach?.[1] ?? props.last));
const total = computed(() => end.value - start.value + 1);
/** Lines are drawn in lots, so that scrolling draws new ones now and then and not at every line. */
const LOT = 12;
const lot = computed(() => Math.floor(top.value / ROW / LOT));
const rows = computed(() => {
  const from = Math.max(0, (lot.value - 1) * LOT);
  const to = Math.min(total.value, from + Math.ceil(height.value / ROW) + 3 * LOT);
  return Array.from({ length: Math.max(0, to - from) }, (_, at) => start.value + from + at);
});
const playheadTop = computed(() => (props.frame - start.value) * ROW);
const bracketStyle = computed(() => ({
  left: `${side.value + 8}px`,
  top: `${(props.first - start.value) * ROW + 2}px`,
  height: `${(props.last - props.first + 1) * ROW - 4}px`,
}));

const width = computed(() => (props.wide ? { minWidth: `${NUMBERS + props.wide}px` } : {}));

function scrolled() {
  top.value = box.value?.scrollTop ?? 0;
  side.value = box.value?.scrollLeft ?? 0;
}
function reveal() {
  const view = box.value;
  if (!view) return;
  const room = view.clientHeight - (head.value?.offsetHeight ?? 0);
  if (playheadTop.value < view.scrollTop + ROW) view.scrollTop = Math.max(0, playheadTop.value - ROW * 3);
  else if (playheadTop.value > view.scrollTop + room - ROW * 2) view.scrollTop = playheadTop.value - room + ROW * 4;
}
watch(
  () => props.frame,
  () => void nextTick(reveal),
);
onMounted(() => {
  new ResizeObserver(() => (height.value = box.value?.clientHeight ?? 600)).observe(box.value as Element);
  reveal();
});

let dragging: "first" | "last" | null = null;
function frameAt(event: PointerEvent) {
  const view = box.value as HTMLElement;
  const above = view.getBoundingClientRect().top + (head.value?.offsetHeight ?? 0);
  return start.value + Math.floor((event.clientY - above + view.scrollTop) / ROW);
}
function grab(which: "first" | "last", event: PointerEvent) {
  dragging = which;
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
}
function pull(event: PointerEvent) {
  if (!dragging) return;
  const at = Math.max(0, frameAt(event));
  if (dragging === "first") emit("range", Math.min(at, props.last), props.last);
  else emit("range", props.first, Math.max(at, props.first));
}
function release() {
  if (dragging) emit("rangeDone");
  dragging = null;
}
</script>

<template>
  <section class="flex min-h-0 flex-col border-r border-rule bg-sheet" aria-label="Frame sheet">
    <div
      ref="box"
      class="relative min-h-0 flex-1 overflow-y-auto"
      :class="wide ? 'overflow-x-auto' : 'overflow-x-hidden'"
      tabindex="0"
      aria-label="Frames and columns"
      role="group"
      @scroll="scrolled"
    >
      <div
        ref="head"
        class="condensed sticky top-0 z-20 flex border-b border-rule bg-sheet text-2xs text-soft"
        :style="width"
      >
        <span class="sticky left-0 z-10 w-15 shrink-0 bg-sheet py-1 pr-2 text-right" aria-hidden="true">frame</span>
        <slot name="heads">
          <component
            :is="column.choose ? 'button' : 'span'"
            v-for="column in columns"
            :key="column.key"
            :type="column.choose ? 'button' : undefined"
            class="min-w-0 flex-1 truncate border-l border-line px-1.5 py-1 text-left"
            :class="column.choose ? (column.chosen ? 'bg-select font-semibold text-select-ink' : 'hover:text-ink') : ''"
            :style="column.width ? { flex: `0 0 ${column.width}` } : {}"
            :title="column.choose ? `Look at ${column.title}` : column.title"
            :aria-hidden="column.choose ? undefined : true"
            :aria-pressed="column.choose ? column.chosen : undefined"
            @click="column.choose?.()"
            >{{ column.title }}</component
          >
        </slot>
      </div>
      <div class="relative" :style="{ height: `${total * ROW}px`, ...width }">
        <SheetRows
          :rows
          :start
          :row="ROW"
          :first
          :last
          :step
          :handles="handles ?? 0"
          :frame
          :columns
          :marked="Boolean(wide)"
          @go="emit('go', $event)"
        />
        <div v-if="$slots.columns" class="pointer-events-none absolute inset-y-0 right-0 left-15">
          <slot name="columns" :start :row="ROW" :from="rows[0] ?? start" :to="rows.at(-1) ?? start" :lines="total" />
        </div>
        <div class="pointer-events-none absolute z-10 w-2 border-y-2 border-l-2 border-ink" :style="bracketStyle">
          <span
            v-if="cycle"
            class="absolute top-1/2 -left-1.5 -translate-y-1/2 bg-sheet text-xs leading-none"
            title="Cycle: the last frame leads into the first"
            >↻</span
          >
        </div>
        <template v-if="bracket">
          <div
            v-for="which in ['first', 'last'] as const"
            :key="which"
            class="absolute z-20 h-3 w-6 cursor-ns-resize touch-none"
            :title="`Drag to move the ${which} frame`"
            :style="{
              left: `${side}px`,
              top: `${((which === 'first' ? first : last + 1) - start) * ROW - (which === 'first' ? 2 : 10)}px`,
            }"
            @pointerdown="grab(which, $event)"
            @pointermove="pull"
            @pointerup="release"
            @pointercancel="release"
          />
        </template>
        <div
          class="pointer-events-none absolute inset-x-0 border-b-2 border-now"
          :style="{ top: `${playheadTop + ROW - 2}px` }"
        >
          <span
            v-if="!wide"
            class="absolute right-0 bottom-0 bg-now px-1 text-2xs leading-4 font-semibold text-white"
            >{{ frame }}</span
          >
        </div>
      </div>
    </div>
  </section>
</template>
