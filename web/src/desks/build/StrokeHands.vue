<script setup lang="ts">
/** The strokes of a penwork on the picture, numbered where each begins: turned round, put in another place, left out. */
import { computed, ref } from "vue";

import { pixelOf, useMarks } from "@/picture/useMarks";
import type { Element } from "@/shot/document";
import { useShot } from "@/shot/store";

import { leaveOut, orderOf, putStroke, turnRound } from "./strokes";

const props = defineProps<{
  element: Element;
  path: string;
  raster: { width: number; height: number };
  width: number;
}>();
const shot = useShot();
const { marks } = useMarks(
  computed(() => props.element.id),
  computed(() => true),
);
const scale = computed(() => props.raster.width / Math.max(1, props.width));
const turned = computed(() => new Set(props.element.turned as number[]));
const out = computed(() => new Set(props.element.left_out as number[]));
const strokes = computed(() => {
  const order = orderOf(
    props.element.order as number[],
    marks.value.map((one) => Number(one.name)),
  );
  return order.flatMap((number, at) => {
    const points = marks.value.find((one) => Number(one.name) === number)?.points ?? [];
    const own = turned.value.has(number) ? [...points].reverse() : points;
    const [first] = own;
    return first ? [{ number, at, first, line: own.map(([x, y]) => `${x},${y}`).join(" ") }] : [];
  });
});
const over = ref(-1);
/** The number that is under a hand, and where the hand is. */
const held = ref<{ number: number; at: number; x: number; y: number; moved: boolean } | null>(null);
let from: [number, number] = [0, 0];

function start(event: PointerEvent, number: number, at: number) {
  if (event.button !== 0) return;
  event.stopPropagation();
  (event.currentTarget as globalThis.Element).setPointerCapture(event.pointerId);
  from = pixelOf(event, scale.value);
  held.value = { number, at, x: from[0], y: from[1], moved: false };
}
function near(x: number, y: number) {
  const found = strokes.value.map((one) => ({ one, far: Math.hypot(one.first[0] - x, one.first[1] - y) }));
  const best = found.filter(({ one }) => one.number !== held.value?.number).sort((a, b) => a.far - b.far)[0];
  return best && best.far < 16 * scale.value ? best.one : undefined;
}
function move(event: PointerEvent) {
  if (!held.value) return;
  const [x, y] = pixelOf(event, scale.value);
  const moved = held.value.moved || Math.hypot(x - from[0], y - from[1]) > 4 * scale.value;
  held.value = { ...held.value, x, y, moved };
  over.value = moved ? (near(x, y)?.number ?? -1) : -1;
}
function end() {
  const was = held.value;
  held.value = null;
  over.value = -1;
  if (!was) return;
  if (!was.moved) return turnRound(shot, props.path, turned.value, was.number, was.at);
  const to = near(was.x, was.y);
  if (to)
    putStroke(
      shot,
      props.path,
      strokes.value.map((one) => one.number),
      was.at,
      to.at,
    );
}
function key(event: KeyboardEvent, number: number, at: number) {
  const order = strokes.value.map((one) => one.number);
  const does: Record<string, () => void> = {
    Enter: () => turnRound(shot, props.path, turned.value, number, at),
    Delete: () => leaveOut(shot, props.path, out.value, number),
    ArrowUp: () => putStroke(shot, props.path, order, at, at - 1),
    ArrowDown: () => putStroke(shot, props.path, order, at, at + 1),
  };
  const own = does[event.key];
  if (!own) return;
  event.preventDefault();
  event.stopPropagation();
  own();
}
</script>

<template>
  <svg
    class="pointer-events-none absolute inset-0 z-10 size-full overflow-visible"
    :viewBox="`0 0 ${raster.width} ${raster.height}`"
    preserveAspectRatio="none"
    role="group"
    aria-label="Strokes on the picture"
    @pointermove="move"
    @pointerup="end"
    @pointercancel="held = null"
  >
    <polyline
      v-for="one in strokes"
      :key="`line ${one.number}`"
      :points="one.line"
      fill="none"
      :stroke="one.number === over || one.number === held?.number ? '#ffd479' : '#7cc4ff'"
      :stroke-opacity="out.has(one.number) ? 0.35 : 1"
      :stroke-width="1.5 * scale"
    />
    <g
      v-for="one in strokes"
      :key="one.number"
      class="pointer-events-auto cursor-pointer touch-none outline-none"
      :transform="`translate(${held?.moved && held.number === one.number ? held.x : one.first[0]} ${held?.moved && held.number === one.number ? held.y : one.first[1]}) scale(${scale})`"
      :opacity="out.has(one.number) ? 0.5 : 1"
      tabindex="0"
      role="button"
      :aria-label="`Stroke ${one.at + 1}: Enter begins it at its other end, up and down put it elsewhere, Delete leaves it out`"
      :data-stroke="one.number"
      @pointerdown="start($event, one.number, one.at)"
      @keydown="key($event, one.number, one.at)"
    >
      <circle r="8.5" :fill="one.number === over ? '#ffd479' : 'white'" stroke="#1d5f93" stroke-width="1.5" />
      <text text-anchor="middle" dominant-baseline="central" font-size="10" font-weight="600" fill="#1d3b52">
        {{ one.at + 1 }}
      </text>
      <line v-if="out.has(one.number)" x1="-6" y1="6" x2="6" y2="-6" stroke="#b4261b" stroke-width="1.5" />
    </g>
  </svg>
</template>
