<script setup lang="ts">
import { computed, ref, useId, watch } from "vue";

import { readNumber, writeNumber } from "./arithmetic";

const props = withDefaults(
  defineProps<{
    label: string;
    modelValue: number;
    unit?: string;
    step?: number;
    min?: number;
    max?: number;
    whole?: boolean;
    initial?: number | undefined;
    error?: string | undefined;
    /** A letter close to its field, for coordinates. */
    compact?: boolean;
  }>(),
  {
    unit: "",
    step: 1,
    min: -Infinity,
    max: Infinity,
    whole: false,
    initial: undefined,
    error: undefined,
    compact: false,
  },
);
/** ``update`` while a value is being found (typing steps, scrubbing); ``commit`` when it stands. */
const emit = defineEmits<{ update: [value: number]; commit: [value: number] }>();

const id = useId();
const text = ref(writeNumber(props.modelValue));
const reason = ref("");
const editing = ref(false);
let before = props.modelValue;
watch(
  () => props.modelValue,
  (value) => {
    if (!editing.value) text.value = writeNumber(value);
  },
);
const shownError = computed(() => reason.value || props.error);

function clamp(value: number) {
  const rounded = props.whole ? Math.round(value) : Math.round(value * 1e6) / 1e6;
  return Math.min(props.max, Math.max(props.min, rounded));
}

function begin() {
  editing.value = true;
  before = props.modelValue;
}

function accept() {
  editing.value = false;
  const read = readNumber(text.value, props.unit, props.whole);
  if ("reason" in read) {
    reason.value = read.reason;
    return;
  }
  if (read.value < props.min || read.value > props.max) {
    const allowed = read.value < props.min ? `at least ${props.min}` : `at most ${props.max}`;
    reason.value = `${writeNumber(read.value)} is out of range; it must be ${allowed}`;
    return;
  }
  reason.value = "";
  text.value = writeNumber(read.value);
  if (read.value !== before) {
    before = read.value;
    emit("commit", read.value);
  }
}

function restore() {
  reason.value = "";
  text.value = writeNumber(before);
  if (props.modelValue !== before) emit("update", before);
}

function nudge(event: KeyboardEvent, sign: number) {
  event.preventDefault();
  const read = readNumber(text.value, props.unit, props.whole);
  const from = "value" in read ? read.value : props.modelValue;
  const factor = event.shiftKey ? 10 : event.altKey && !props.whole ? 0.1 : 1;
  const value = clamp(from + sign * props.step * factor);
  reason.value = "";
  text.value = writeNumber(value);
  emit("update", value);
}

function reset() {
  if (props.initial === undefined) return;
  reason.value = "";
  text.value = writeNumber(props.initial);
  emit("commit", props.initial);
}

let scrub: { x: number; from: number; moved: boolean } | null = null;
function scrubStart(event: PointerEvent) {
  scrub = { x: event.clientX, from: props.modelValue, moved: false };
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
}
function scrubMove(event: PointerEvent) {
  if (!scrub) return;
  const pixels = event.clientX - scrub.x;
  if (!scrub.moved && Math.abs(pixels) < 3) return;
  scrub.moved = true;
  const value = clamp(scrub.from + Math.round(pixels / 2) * props.step * (event.shiftKey ? 10 : 1));
  text.value = writeNumber(value);
  emit("update", value);
}
function scrubEnd() {
  if (scrub?.moved) emit("commit", props.modelValue);
  scrub = null;
}
</script>

<template>
  <div class="min-w-0">
    <div class="flex items-center gap-1">
      <label
        :for="id"
        class="min-w-0 cursor-ew-resize touch-none truncate text-soft select-none"
        :class="[
          compact ? '' : 'flex-1',
          initial !== undefined && initial !== modelValue ? 'font-semibold text-ink!' : '',
        ]"
        :title="
          initial !== undefined && initial !== modelValue
            ? `Differs from ${writeNumber(initial)}; double-click to reset`
            : 'Drag to change'
        "
        @pointerdown="scrubStart"
        @pointermove="scrubMove"
        @pointerup="scrubEnd"
        @pointercancel="scrubEnd"
        @dblclick="reset"
        >{{ label }}</label
      >
      <div
        class="flex min-w-0 items-baseline rounded-sm border border-rule bg-sheet focus-within:border-select-ink"
        :class="[{ 'border-now!': shownError }, compact ? 'flex-1' : '']"
      >
        <input
          :id="id"
          v-model="text"
          class="min-w-0 bg-transparent px-1.5 py-0.5 text-right outline-none"
          :class="compact ? 'w-full' : 'w-16'"
          autocomplete="off"
          spellcheck="false"
          :aria-invalid="!!shownError"
          :aria-describedby="shownError ? `${id}-error` : undefined"
          @focus="begin"
          @blur="accept"
          @keydown.enter="accept"
          @keydown.up="nudge($event, 1)"
          @keydown.down="nudge($event, -1)"
          @keydown.esc.stop="restore"
        />
        <span v-if="unit" class="pr-1.5 text-2xs text-soft">{{ unit }}</span>
      </div>
    </div>
    <p v-if="shownError" :id="`${id}-error`" class="mt-0.5 text-xs text-now" role="alert">✕ {{ shownError }}</p>
  </div>
</template>
