<script setup lang="ts">
/** Columns of keys on the sheet: selecting, dragging and typing in them, and the curve beside them. */
import { computed, nextTick, onBeforeUnmount, onMounted, ref, useTemplateRef, watch } from "vue";

import { NUMBERS, type SheetColumn } from "@/sheet/columns";
import { useShot } from "@/shot/store";

import CurveColumn from "./CurveColumn.vue";
import KeyColumn, { type Dragged } from "./KeyColumn.vue";
import { COLUMN, CURVE, WAVE } from "./layout";
import { type Column, type KeySheet, short, typed } from "./useKeySheet";
import WaveColumns from "./WaveColumns.vue";

const props = defineProps<{
  sheet: KeySheet;
  start: number;
  row: number;
  from: number;
  to: number;
  lines: number;
  curve: boolean;
  /** Columns without keys: what turns over the range. */
  turns: SheetColumn[];
  /** How many sounds are heard: they stand first. */
  heard: number;
}>();
/** Frames at which sounds get loud: keys that are dragged near one go there. */
const loud = ref<number[]>([]);
const shot = useShot();
const layer = useTemplateRef<HTMLElement>("layer");
watch([() => props.from, () => props.to], () => props.sheet.inSight(props.from, props.to), { immediate: true });

const top = (frame: number) => (frame - props.start) * props.row;
const box = computed(() => {
  const { column, toColumn } = props.sheet.chosen;
  if (column < 0) return null;
  const left = Math.min(column, toColumn);
  const { first, last } = props.sheet.span.value;
  return {
    left: `${left * COLUMN}px`,
    width: `${(Math.abs(column - toColumn) + 1) * COLUMN}px`,
    top: `${top(first)}px`,
    height: `${(last - first + 1) * props.row}px`,
  };
});
const inBetween = computed(() => {
  const column = props.sheet.active.value;
  if (!column || props.sheet.chosen.toColumn < 0) return [];
  const keyed = new Set(column.track.keys.map((key) => key.frame));
  return visible.value
    .filter((frame) => !keyed.has(frame))
    .map((frame) => ({ frame, text: short(props.sheet.valueAt(column, frame)) }));
});

const visible = computed(() => Array.from({ length: props.to - props.from + 1 }, (_, at) => props.from + at));

/** Where the pointer is. */
function at(event: PointerEvent | MouseEvent) {
  const rect = (layer.value as HTMLElement).getBoundingClientRect();
  const column = Math.floor((event.clientX - rect.left) / COLUMN);
  return {
    column: Math.min(Math.max(column, 0), props.sheet.columns.value.length - 1),
    frame: Math.max(0, props.start + Math.floor((event.clientY - rect.top) / props.row)),
  };
}
/** What is selected comes into sight, left of the curve. */
watch(
  () => [props.sheet.chosen.toColumn, props.curve] as const,
  async ([column]) => {
    await nextTick();
    const box = layer.value?.closest('[aria-label="Frames and columns"]');
    if (!box || column < 0) return;
    const left = props.heard * WAVE + column * COLUMN;
    const room = box.clientWidth - NUMBERS - (props.curve ? CURVE : 0);
    if (left < box.scrollLeft) box.scrollLeft = left;
    else if (left + COLUMN > box.scrollLeft + room) box.scrollLeft = left + COLUMN - room;
  },
);
const drag = ref<{ what: "select" | "move"; from: number; by: number } | null>(null);
function press(event: PointerEvent) {
  if (event.button !== 0 || !props.sheet.columns.value.length || editing.value) return;
  const place = at(event);
  const { span, columns, chosen } = props.sheet;
  const key = columns.value[place.column]?.track.keys.some((one) => one.frame === place.frame);
  const low = Math.min(chosen.column, chosen.toColumn);
  const high = Math.max(chosen.column, chosen.toColumn);
  const within =
    place.column >= low && place.column <= high && place.frame >= span.value.first && place.frame <= span.value.last;
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
  if (key && !event.shiftKey) {
    if (!within) props.sheet.choose(place.column, place.frame);
    drag.value = { what: "move", from: place.frame, by: 0 };
  } else {
    props.sheet.choose(place.column, place.frame, event.shiftKey);
    drag.value = { what: "select", from: place.frame, by: 0 };
    shot.goTo(place.frame);
  }
}
function pull(event: PointerEvent) {
  if (!drag.value) return;
  const place = at(event);
  if (drag.value.what === "select") props.sheet.choose(place.column, place.frame, true);
  else {
    const near = event.altKey ? undefined : loud.value.find((frame) => Math.abs(frame - place.frame) <= 1);
    drag.value = { ...drag.value, by: (near ?? place.frame) - drag.value.from };
  }
}
function release() {
  const own = drag.value;
  drag.value = null;
  if (own?.what !== "move") return;
  if (own.by) void props.sheet.move(own.by);
  else {
    // A click that moved nothing looks at the key.
    shot.goTo(own.from);
    if (props.sheet.keys.value.length > 1) props.sheet.choose(props.sheet.chosen.toColumn, own.from);
  }
}

/** What a value begins with that is typed. */
const BEGINS = /^[-0-9.#]$/;
/** A value that is being typed, in its cell. */
const editing = ref<{ column: Column; frame: number; text: string; wrong: boolean } | null>(null);
const input = useTemplateRef<HTMLInputElement>("input");
async function edit(text?: string) {
  const column = props.sheet.active.value;
  if (!column || shot.looking) return;
  const frame = props.sheet.chosen.last;
  const whole = props.sheet.valueAt(column, frame);
  editing.value = { column, frame, text: text ?? short(whole), wrong: false };
  await nextTick();
  input.value?.focus();
  if (text === undefined) input.value?.select();
}
function accept() {
  const own = editing.value;
  if (!own) return;
  const count = Array.isArray(own.column.track.keys[0]?.value) ? own.column.track.keys[0].value.length : 3;
  const value = typed(own.column.kind, own.text, count);
  if (value === null) {
    editing.value = { ...own, wrong: true };
    return;
  }
  props.sheet.setKey(own.column, own.frame, value, `${own.column.title} at frame ${own.frame}`);
  editing.value = null;
  layer.value?.focus();
}
function giveUp() {
  editing.value = null;
  layer.value?.focus();
}

function steer(event: KeyboardEvent) {
  if (event.target !== layer.value) return;
  const { chosen, columns } = props.sheet;
  const control = event.ctrlKey || event.metaKey;
  const across = { ArrowLeft: -1, ArrowRight: 1 }[event.key] ?? 0;
  const down = { ArrowUp: -1, ArrowDown: 1 }[event.key] ?? 0;
  if (!columns.value.length || (control && !["c", "x", "v"].includes(event.key))) return;
  if (across || down) {
    const column = Math.min(Math.max(chosen.toColumn + across, 0), columns.value.length - 1);
    const frame = Math.max(0, (chosen.column < 0 ? shot.frame : chosen.last) + down);
    props.sheet.choose(column, frame, event.shiftKey);
    shot.goTo(frame);
  } else if (event.key === "Enter") void edit();
  else if (event.key === "Delete" || event.key === "Backspace") void props.sheet.remove();
  else if (event.key === "Escape") props.sheet.chooseNone();
  else if (!control && BEGINS.test(event.key)) void edit(event.key);
  else return;
  event.preventDefault();
  event.stopPropagation();
}
/** Who walks on the rest of the sheet, or has just selected a column by its head, types into that column at the frame that is looked at;
 * digits would lead to another desk. */
function typedBeside(event: KeyboardEvent) {
  const target = event.target as HTMLElement;
  if (target === layer.value || target.closest("input, select, textarea") || event.ctrlKey || event.metaKey) return;
  if (event.altKey || !BEGINS.test(event.key) || !props.sheet.active.value) return;
  props.sheet.choose(props.sheet.chosen.toColumn, shot.frame);
  void edit(event.key);
  event.preventDefault();
  event.stopPropagation();
}
let whole: HTMLElement | null = null;
onMounted(() => {
  whole = layer.value?.closest("section") ?? null;
  whole?.addEventListener("keydown", typedBeside);
});
onBeforeUnmount(() => whole?.removeEventListener("keydown", typedBeside));
function copy(event: ClipboardEvent, cut = false) {
  if (event.target !== layer.value || !props.sheet.keys.value.length) return;
  event.clipboardData?.setData("text/plain", props.sheet.copied());
  event.preventDefault();
  if (cut) void props.sheet.remove();
}
function paste(event: ClipboardEvent) {
  if (event.target !== layer.value) return;
  const said = props.sheet.paste(event.clipboardData?.getData("text/plain") ?? "");
  if (said) shot.retimeNote = said;
  event.preventDefault();
}
/** Which keys of a column are being dragged. */
function dragged(column: Column): Dragged | null {
  const { span } = props.sheet;
  if (drag.value?.what !== "move" || !span.value.columns.includes(column)) return null;
  return { first: span.value.first, last: span.value.last, by: drag.value.by };
}
defineExpose({ edit });
</script>

<template>
  <div class="pointer-events-auto absolute inset-0 flex">
    <WaveColumns v-if="heard" :start :row :from :to :lines @loud="loud = $event" />
    <div
      ref="layer"
      class="group relative h-full shrink-0 touch-none outline-none"
      :style="{ width: `${sheet.columns.value.length * COLUMN}px` }"
      tabindex="0"
      role="group"
      aria-label="Keys: arrows walk, digits or Enter type a value, Delete takes keys away"
      @pointerdown="press"
      @pointermove="pull"
      @pointerup="release"
      @pointercancel="release"
      @dblclick="edit()"
      @keydown="steer"
      @copy="copy($event)"
      @cut="copy($event, true)"
      @paste="paste"
    >
      <div
        v-if="box"
        class="pointer-events-none absolute bg-select/70 outline-1 outline-select-ink/50 group-focus-visible:outline-2 group-focus-visible:outline-select-ink"
        :style="box"
      />
      <KeyColumn
        v-for="(column, number) in sheet.columns.value"
        :key="column.path"
        :style="`left: ${number * COLUMN}px; width: ${COLUMN}px`"
        :track="column.track"
        :kind="column.kind"
        :path="column.path"
        :name="`${column.thing} ${column.title}`"
        :start
        :row
        :from
        :to
        :lines
        :dragged="dragged(column)"
      />
      <span
        v-for="one in inBetween"
        :key="one.frame"
        class="condensed pointer-events-none absolute truncate pl-5 text-xs leading-[21px] text-soft"
        :style="`top: ${top(one.frame)}px; left: ${sheet.chosen.toColumn * COLUMN}px; width: ${COLUMN}px`"
        >{{ one.text }}</span
      >
      <input
        v-if="editing"
        ref="input"
        v-model="editing.text"
        class="absolute z-20 border border-select-ink bg-sheet px-1 text-xs"
        :class="{ 'border-now!': editing.wrong }"
        :style="{
          top: `${top(editing.frame)}px`,
          left: `${sheet.columns.value.findIndex((one) => one.path === editing?.column.path) * COLUMN}px`,
          width: `${Math.max(COLUMN, editing.column.kind === 'vector' || editing.column.kind === 'angles' ? 110 : 0)}px`,
          height: `${row}px`,
        }"
        :aria-label="`${editing.column.title} at frame ${editing.frame}`"
        :aria-invalid="editing.wrong"
        autocomplete="off"
        @pointerdown.stop
        @keydown.enter.stop="accept"
        @keydown.esc.stop="giveUp"
        @keydown.stop
        @blur="giveUp"
      />
    </div>
    <div
      v-for="column in turns"
      :key="column.key"
      class="condensed pointer-events-none relative h-full shrink-0 border-l border-line text-xs text-soft"
      :style="{ width: `${COLUMN}px` }"
    >
      <span
        v-for="frame in visible"
        :key="frame"
        class="absolute inset-x-0 truncate px-1.5 leading-[21px]"
        :style="`top: ${top(frame)}px`"
        >{{ column.mark(frame)?.sign }} {{ column.mark(frame)?.text }}</span
      >
    </div>
    <CurveColumn
      v-if="curve && sheet.active.value"
      class="sticky right-0 z-10 shrink-0 border-l border-rule bg-sheet"
      :style="{ width: `${CURVE}px` }"
      :sheet
      :column="sheet.active.value"
      :start
      :row
      :from
      :to
      :lines
    />
  </div>
</template>
