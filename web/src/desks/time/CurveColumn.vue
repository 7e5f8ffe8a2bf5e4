<script setup lang="ts">
/** The curve of one value, turned so that time runs down with the sheet; its keys and handles are dragged. */
import { computed, onBeforeUnmount, ref } from "vue";

import { inSteps } from "@/api/latest";
import type { Key, Track } from "@/shot/document";
import { HANDLES } from "@/shot/moves";
import { useShot } from "@/shot/store";

import { CURVE } from "./layout";
import { type Column, type KeySheet, short } from "./useKeySheet";

const props = defineProps<{
  sheet: KeySheet;
  column: Column;
  start: number;
  row: number;
  from: number;
  to: number;
  lines: number;
}>();
const shot = useShot();
const PAD = 16;
/** Pixels between marks that would lie upon one another. */
const APART = 9;
const NAMES = ["x", "y", "z"];
const COLOURS = ["stroke-ink", "stroke-select-ink", "stroke-warn"];

function numbers(value: unknown): number[] {
  if (typeof value === "number") return [value];
  if (typeof value === "boolean") return [value ? 1 : 0];
  return Array.isArray(value) ? value.map(Number) : [];
}
const count = computed(
  () => numbers(props.column.track.keys[0]?.value ?? props.sheet.valueAt(props.column, shot.frame)).length,
);
const canDraw = computed(() => count.value > 0);
/** The values at which both handles of a number stand between two keys. */
function handleValues(key: Key, next: Key, index: number): [number, number] {
  const a = numbers(key.value)[index] ?? 0;
  const b = numbers(next.value)[index] ?? a;
  const [, y1, , y2] = key.handles ?? HANDLES;
  const [first, second] = key.lifts?.[index] ?? [0, 0];
  return [a + (b - a) * y1 + first, a + (b - a) * y2 + second];
}
/** Least and greatest number, of keys, their handles and what is in sight; held while something is dragged. */
const held = ref<[number, number] | null>(null);
const ends = computed<[number, number]>(() => {
  if (held.value) return held.value;
  const all = [
    ...props.column.track.keys.flatMap((key, at, keys) => {
      const next = keys[at + 1];
      const own = numbers(key.value);
      const free = key.way === "free" && next ? own.flatMap((_, index) => handleValues(key, next, index)) : [];
      return [...own, ...free];
    }),
    ...frames.value.flatMap((frame) => numbers(props.sheet.valueAt(props.column, frame))),
  ];
  const low = Math.min(...all);
  const high = Math.max(...all);
  if (!all.length) return [0, 1];
  return high - low < 1e-9 ? [low - 1, high + 1] : [low, high];
});
const frames = computed(() => Array.from({ length: props.to - props.from + 1 }, (_, at) => props.from + at));
const placed = (value: number, low: number, high: number) => PAD + ((value - low) / (high - low)) * (CURVE - 2 * PAD);
const x = (value: number) => placed(value, ...ends.value);
const y = (frame: number) => (frame - props.start + 0.5) * props.row;
/** Frames at which a value goes from one to another all at once. */
const steps = computed(
  () =>
    new Set(
      props.column.track.keys.flatMap((key, at) => {
        const before = props.column.track.keys[at - 1];
        return before && (before.way === "hold" || props.column.kind === "switch") ? [key.frame] : [];
      }),
    ),
);
const drawn = computed(() => {
  const values = frames.value.map((frame) => numbers(props.sheet.valueAt(props.column, frame)));
  const [low, high] = ends.value;
  const jumps = steps.value;
  return Array.from({ length: count.value }, (_, index) => {
    let before = "";
    const points: string[] = [];
    frames.value.forEach((frame, at) => {
      const value = values[at]?.[index];
      if (value === undefined) return;
      const [across, down] = [placed(value, low, high).toFixed(1), y(frame).toFixed(1)];
      if (before && jumps.has(frame)) points.push(`${before},${down}`);
      points.push(`${across},${down}`);
      before = across;
    });
    return points.join(" ");
  });
});
const near = computed(() =>
  props.column.track.keys.flatMap((key, at) => {
    const next = props.column.track.keys[at + 1];
    const visible = key.frame <= props.to + 2 && (next?.frame ?? key.frame) >= props.from - 2;
    return visible ? [{ key, next, at }] : [];
  }),
);
/** By how many pixels each of several marks in a line is drawn aside so that none lies upon another. */
function spread(places: readonly number[]): number[] {
  const near = (a: number, b: number) => Math.abs(a - b) < APART / 2;
  return places.map((place, index) => {
    const same = places.filter((other) => near(other, place)).length;
    const before = places.slice(0, index).filter((other) => near(other, place)).length;
    return (before - (same - 1) / 2) * APART;
  });
}
interface Handle {
  key: Key;
  at: number;
  /** Which of the numbers it bends. */
  index: number;
  second: boolean;
  from: [number, number];
  to: [number, number];
  /** Pixels that it is drawn aside, so that no other lies upon it. */
  aside: number;
}
/** Handles of free curves: two for each number. */
const handles = computed<Handle[]>(() =>
  near.value.flatMap(({ key, next, at }) => {
    if (key.way !== "free" || !next) return [];
    const end = numbers(next.value);
    const [x1, , x2] = key.handles ?? HANDLES;
    const place = (share: number, value: number): [number, number] => [
      x(value),
      y(key.frame + (next.frame - key.frame) * share),
    ];
    const own = numbers(key.value).flatMap((a, index) => {
      const [first, second] = handleValues(key, next, index);
      return [
        { key, at, index, second: false, from: place(0, a), to: place(x1, first) },
        { key, at, index, second: true, from: place(1, end[index] ?? a), to: place(x2, second) },
      ];
    });
    return [false, true].flatMap((second) => {
      const some = own.filter((one) => one.second === second);
      const asides = spread(some.map((one) => one.to[0]));
      return some.map((one, index) => ({ ...one, aside: asides[index] ?? 0 }));
    });
  }),
);
/** Of each key in sight what is drawn of it: a circle for each of its numbers. */
const circles = computed(() =>
  near.value.flatMap(({ key, at }) => {
    const places = numbers(key.value).map(x);
    const asides = spread(places);
    return numbers(key.value).map((value, index) => ({
      key,
      at,
      index,
      value,
      aside: asides[index] ?? 0,
      x: (places[index] ?? 0) + (asides[index] ?? 0),
    }));
  }),
);
/** A key with a handle dragged to a value at a share of the time. The height of a single number that goes anywhere is a share of its way, so
 * that it stays what it is when its keys move; of others it is how far the handle is drawn aside. */
function pulled(key: Key, next: Key, handle: Handle, share: number, value: number): Key {
  const start = numbers(key.value);
  const end = numbers(next.value);
  const { index, second } = handle;
  const [a = 0, b = 0] = [start[index], end[index]];
  const round = (one: number) => Math.round(one * 1000) / 1000;
  const [x1, y1, x2, y2] = key.handles ?? HANDLES;
  const goes = start.length === 1 && Math.abs(b - a) > 1e-9;
  const aside = key.lifts?.[index] ?? [0, 0];
  const tall = goes ? (value - aside[second ? 1 : 0] - a) / (b - a) : second ? y2 : y1;
  const height = round(Math.min(Math.max(tall, -20), 20));
  const handles: Key["handles"] = second ? [x1, y1, round(share), height] : [round(share), height, x2, y2];
  if (goes) return { ...key, handles };
  const off = round(value - (a + (b - a) * height));
  const lifts = start.map((_, at): [number, number] => {
    const [first, last] = key.lifts?.[at] ?? [0, 0];
    return at !== index ? [first, last] : second ? [first, off] : [off, last];
  });
  return { ...key, handles, lifts };
}

/** Whether the pointer went anywhere: a press alone changes nothing. */
let moved = false;
let dragging: { key: number; index: number; handle: Handle | null; aside: number } | null = null;
function grab(event: PointerEvent, key: number, index: number, aside: number, handle: Handle | null = null) {
  if (shot.looking) return;
  dragging = { key, index, handle, aside };
  held.value = ends.value;
  props.sheet.hold(true);
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
  event.stopPropagation();
}
function pull(event: PointerEvent) {
  const at = placeOf(event);
  if (!dragging || !at) return;
  moved = true;
  follow(at);
}
interface Place {
  svg: Element;
  clientX: number;
  clientY: number;
}
function placeOf(event: PointerEvent): Place | null {
  const svg = (event.currentTarget as Element).closest("svg");
  return svg && { svg, clientX: event.clientX, clientY: event.clientY };
}
function moveTo(event: Place) {
  if (!dragging) return;
  const rect = event.svg.getBoundingClientRect();
  const [low, high] = ends.value;
  const value = low + ((event.clientX - dragging.aside - rect.left - PAD) / (CURVE - 2 * PAD)) * (high - low);
  const { track } = props.column;
  const key = track.keys[dragging.key];
  if (!key) return;
  let changed: Key;
  if (dragging.handle) {
    const next = track.keys[dragging.key + 1];
    if (!next) return;
    const frame = props.start - 0.5 + (event.clientY - rect.top) / props.row;
    const share = Math.min(Math.max((frame - key.frame) / (next.frame - key.frame), 0), 1);
    changed = pulled(key, next, dragging.handle, share, value);
  } else {
    const digits = props.column.kind === "whole" || high - low > 50 ? 1 : high - low > 2 ? 10 : 100;
    const rounded = Math.min(Math.max(Math.round(value * digits) / digits, props.column.low), props.column.high);
    const all = numbers(key.value).map((one, at) => (at === dragging?.index ? rounded : one));
    changed = { ...key, value: Array.isArray(key.value) ? all : all[0] };
  }
  const own = dragging.key;
  const next: Track = { ...track, keys: track.keys.map((one, at) => (at === own ? changed : one)) };
  props.sheet.change(new Map([[props.column.path, next]]), `${props.column.title}: curve`, false);
}
const follow = inSteps(moveTo);
// A desk that is left under a hand: what was dragged so far stays.
onBeforeUnmount(() => {
  dragging = null;
  props.sheet.hold(false);
});
function release(event: PointerEvent) {
  const at = placeOf(event);
  if (dragging && at && moved) moveTo(at);
  if (dragging) void shot.save();
  moved = false;
  dragging = null;
  held.value = null;
  props.sheet.hold(false);
}
</script>

<template>
  <div class="h-full" :aria-label="`Curve of ${column.title}`" role="group">
    <p v-if="!canDraw" class="sticky top-10 px-2 py-1 text-xs text-soft">
      {{
        column.kind === "colour" ? "Colours have no curve; their ways are chosen at the right." : "This has no curve."
      }}
    </p>
    <svg v-else class="absolute top-0 left-0 touch-none" :width="CURVE" :height="props.lines * row">
      <polyline
        v-for="(line, index) in drawn"
        :key="index"
        :points="line"
        fill="none"
        class="stroke-[1.5]"
        :class="COLOURS[index]"
      />
      <g v-for="handle in handles" :key="`${handle.at} ${handle.index} ${handle.second}`">
        <line
          :x1="handle.from[0]"
          :y1="handle.from[1]"
          :x2="handle.to[0] + handle.aside"
          :y2="handle.to[1]"
          class="stroke-rule"
        />
        <rect
          :x="handle.to[0] + handle.aside - 4"
          :y="handle.to[1] - 4"
          width="8"
          height="8"
          class="cursor-move fill-sheet"
          :class="count > 1 ? COLOURS[handle.index] : 'stroke-select-ink'"
          role="img"
          :aria-label="`Handle ${handle.second ? 'to the next key' : 'from the key'} at frame ${handle.key.frame}${count > 1 ? `, ${NAMES[handle.index]}` : ''}`"
          @pointerdown="grab($event, handle.at, handle.index, handle.aside, handle)"
          @pointermove="pull"
          @pointerup="release"
          @pointercancel="release"
        />
      </g>
      <circle
        v-for="{ key, at, index, value, aside, x: across } in circles"
        :key="`${key.frame} ${index}`"
        :cx="across"
        :cy="y(key.frame)"
        r="4.5"
        class="cursor-ew-resize fill-sheet stroke-[1.5]"
        role="img"
        :class="COLOURS[index]"
        :aria-label="`${count > 1 ? `${NAMES[index]} ` : ''}${value} at frame ${key.frame}`"
        @pointerdown="grab($event, at, index, aside)"
        @pointermove="pull"
        @pointerup="release"
        @pointercancel="release"
      >
        <title>{{ count > 1 ? `${NAMES[index]} ` : "" }}{{ short(value) }} at frame {{ key.frame }}</title>
      </circle>
    </svg>
  </div>
</template>
