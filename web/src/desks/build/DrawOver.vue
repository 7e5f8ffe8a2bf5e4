<script setup lang="ts">
/** Over the picture while strokes are drawn by hand: each is one step that undo goes back over. */
import { computed, ref } from "vue";

import type { Hands } from "@/picture/useHands";
import type { Element } from "@/shot/document";
import { useShot } from "@/shot/store";

import { type DrawnPoint, placeIn } from "./handDrawing";

const props = defineProps<{
  hands: Hands;
  element: Element;
  raster: { width: number; height: number };
  width: number;
}>();
const shot = useShot();
const scale = computed(() => props.raster.width / Math.max(1, props.width));
/** Pixels of the raster, and the pressure, of the stroke that is under way. */
const under = ref<DrawnPoint[]>([]);
/** Screen pixels between two points at least, and points of a stroke at most. */
const APART = 1.5;
const MOST = 3000;

function point(event: PointerEvent): DrawnPoint {
  const frame = (event.currentTarget as SVGElement).getBoundingClientRect();
  // A mouse presses evenly.
  const pressure = event.pointerType === "pen" ? event.pressure : 0.6;
  return [(event.clientX - frame.left) * scale.value, (event.clientY - frame.top) * scale.value, pressure];
}
function start(event: PointerEvent) {
  if (event.button !== 0) return;
  event.preventDefault();
  (event.currentTarget as Element & SVGElement).setPointerCapture(event.pointerId);
  under.value = [point(event)];
}
function move(event: PointerEvent) {
  const last = under.value.at(-1);
  if (!last) return;
  for (const one of event.getCoalescedEvents?.() ?? [event]) {
    const frame = (event.currentTarget as SVGElement).getBoundingClientRect();
    const pressure = one.pointerType === "pen" ? one.pressure : 0.6;
    const next: DrawnPoint = [
      (one.clientX - frame.left) * scale.value,
      (one.clientY - frame.top) * scale.value,
      pressure,
    ];
    const before = under.value.at(-1) ?? next;
    const far = Math.hypot(next[0] - before[0], next[1] - before[1]) >= APART * scale.value;
    if (far && under.value.length < MOST) under.value = [...under.value, next];
  }
}
function end() {
  const lies = props.hands.lies.value.get(props.element.id);
  const placement = props.hands.placementOf(props.element);
  const points = under.value;
  under.value = [];
  if (!lies || !points.length) return;
  const round = (value: number) => Math.round(value * 1000) / 1000;
  const stroke = points.map(([x, y, pressure]) => {
    const [across, up] = placeIn(lies, placement, x, y);
    return [round(across), round(up), round(pressure)] as DrawnPoint;
  });
  const drawn = (props.element.drawn ?? []) as { points: DrawnPoint[] }[];
  shot.edit(
    `${props.hands.pathOf(props.element)}.drawn`,
    [...drawn, { points: stroke }],
    true,
    `Draw stroke ${drawn.length + 1}`,
  );
}
</script>

<template>
  <svg
    class="absolute inset-0 z-10 size-full cursor-crosshair touch-none"
    :viewBox="`0 0 ${raster.width} ${raster.height}`"
    role="application"
    aria-label="Draw strokes here"
    @pointerdown.stop="start"
    @pointermove="move"
    @pointerup="end"
    @pointercancel="under = []"
  >
    <polyline
      v-if="under.length"
      :points="under.map(([x, y]) => `${x},${y}`).join(' ')"
      fill="none"
      stroke="#b4261b"
      :stroke-width="2 * scale"
      stroke-linecap="round"
      stroke-linejoin="round"
    />
  </svg>
</template>
