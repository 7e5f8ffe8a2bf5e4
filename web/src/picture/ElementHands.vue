<script setup lang="ts">
/**
 * What is chosen, marked on the picture, and where hands take hold of it: the box moves it, corners size it, the knob above turns
 * it. What is moved or sized meets edges and middles, unless Ctrl is held.
 * Drawn by the browser over the picture: no file can contain it.
 */
import { computed, ref } from "vue";

import type { Hands } from "./useHands";
import type { Triple } from "@/shot/document";
import { useShot } from "@/shot/store";

import { around, type Box, grown, sized, type Snap, snapped } from "./snapping";

const props = defineProps<{ hands: Hands; raster: { width: number; height: number }; width: number }>();
const emit = defineEmits<{ click: [event: PointerEvent] }>();
const shot = useShot();

/** Pixels of the raster that one of the screen is. */
const scale = computed(() => props.raster.width / Math.max(1, props.width));
/** What is sized as it will be, before it is known where it lies. */
const growing = ref<Box | null>(null);
const drawn = computed(() => (growing.value ? [growing.value] : props.hands.boxes.value));
const whole = computed(() => around(drawn.value));
const single = computed(() => {
  const [one, ...more] = props.hands.movable.value;
  return one && !more.length ? one : null;
});
const pivot = computed(() => {
  const own = single.value && props.hands.lies.value.get(single.value.id);
  return own ? own.pivot : null;
});
const corners = computed(() => {
  if (!whole.value || !single.value) return [];
  const [left, top, right, bottom] = whole.value;
  return [
    { x: left, y: top, cursor: "nwse-resize" },
    { x: right, y: top, cursor: "nesw-resize" },
    { x: right, y: bottom, cursor: "nwse-resize" },
    { x: left, y: bottom, cursor: "nesw-resize" },
  ];
});
const knob = computed(() =>
  whole.value && single.value
    ? { x: (whole.value[0] + whole.value[2]) / 2, y: Math.max(6 * scale.value, whole.value[1] - 22 * scale.value) }
    : null,
);
const guides = ref<Snap["guides"]>([]);

/** Screen pixels within which edges meet, and that a click may slip. */
const REACH = 6;
const SLIP = 3;
let drag: {
  what: "move" | "size" | "turn";
  x: number;
  y: number;
  moved: boolean;
  box: [number, number, number, number];
  /** The corner that is held, and what does not move. */
  corner: [number, number];
  pivot: [number, number];
  from: { scale: Triple; rotation: Triple };
  others: [number, number, number, number][];
} | null = null;

function start(event: PointerEvent, what: "move" | "size" | "turn", corner = { x: 0, y: 0 }) {
  if (event.button !== 0 || !whole.value) return;
  event.stopPropagation();
  const own = single.value ? props.hands.placementOf(single.value) : null;
  const from = { scale: own?.scale ?? ([1, 1, 1] as Triple), rotation: own?.rotation ?? ([0, 0, 0] as Triple) };
  drag = {
    what,
    x: event.clientX,
    y: event.clientY,
    moved: false,
    box: whole.value,
    corner: [corner.x, corner.y],
    pivot: pivot.value ?? [0, 0],
    from,
    others: props.hands.others.value,
  };
  (event.currentTarget as Element).setPointerCapture(event.pointerId);
  if (what === "move") props.hands.begin();
}
function place(event: PointerEvent): [number, number] {
  const frame = (event.currentTarget as SVGElement).ownerSVGElement?.getBoundingClientRect();
  return [(event.clientX - (frame?.left ?? 0)) * scale.value, (event.clientY - (frame?.top ?? 0)) * scale.value];
}
function move(event: PointerEvent) {
  if (!drag) return;
  const dx = event.clientX - drag.x;
  const dy = event.clientY - drag.y;
  if (!drag.moved && Math.hypot(dx, dy) <= SLIP) return;
  drag.moved = true;
  if (drag.what === "move") {
    let [x, y] = [dx * scale.value, dy * scale.value];
    if (event.shiftKey) [x, y] = Math.abs(x) > Math.abs(y) ? [x, 0] : [0, y];
    const free = event.ctrlKey || event.metaKey;
    const found = free ? null : snapped(drag.box, x, y, drag.others, props.raster, REACH * scale.value);
    guides.value = found?.guides ?? [];
    props.hands.moveBy(
      event.shiftKey && x === 0 ? 0 : (found?.dx ?? x),
      event.shiftKey && y === 0 ? 0 : (found?.dy ?? y),
    );
    return;
  }
  const element = single.value;
  const centre = pivot.value;
  if (!element || !centre) return;
  const path = `${props.hands.pathOf(element)}.placement`;
  const [px, py] = place(event);
  const [bx, by] = [px - dx * scale.value, py - dy * scale.value];
  if (drag.what === "size") {
    const [cx, cy] = drag.pivot;
    const hand = Math.max(0.01, Math.hypot(px - cx, py - cy) / Math.max(Math.hypot(bx - cx, by - cy), 1e-6));
    const free = event.ctrlKey || event.metaKey;
    const found = free
      ? { factor: hand, guides: [] }
      : sized(drag.pivot, drag.corner, hand, drag.others, props.raster, REACH * scale.value);
    guides.value = found.guides;
    growing.value = grown(drag.box, drag.pivot, found.factor);
    // Finer than is written by hand, so that what meets an edge of a large picture does.
    shot.edit(
      `${path}.scale`,
      drag.from.scale.map((one) => Number((one * found.factor).toPrecision(6))) as Triple,
      false,
    );
  } else {
    const angle = Math.atan2(py - centre[1], px - centre[0]) - Math.atan2(by - centre[1], bx - centre[0]);
    let degrees = drag.from.rotation[2] - (angle * 180) / Math.PI;
    degrees = event.shiftKey ? Math.round(degrees / 15) * 15 : Math.round(degrees * 10) / 10;
    degrees = ((((degrees + 180) % 360) + 360) % 360) - 180;
    shot.edit(`${path}.rotation`, [drag.from.rotation[0], drag.from.rotation[1], degrees], false);
  }
}
function end(event: PointerEvent) {
  if (!drag) return;
  const was = drag;
  drag = null;
  guides.value = [];
  growing.value = null;
  if (was.what === "move") props.hands.end();
  else if (was.moved) shot.editMany({}, `${was.what === "size" ? "Size" : "Turn"} ${props.hands.named.value}`);
  if (!was.moved && was.what === "move") emit("click", event);
}
const KEYS: Record<string, [number, number]> = {
  ArrowLeft: [-1, 0],
  ArrowRight: [1, 0],
  ArrowUp: [0, -1],
  ArrowDown: [0, 1],
};
function key(event: KeyboardEvent) {
  const by = KEYS[event.key];
  if (!by || event.ctrlKey || event.altKey) return;
  event.preventDefault();
  event.stopPropagation();
  const times = event.shiftKey ? 10 : 1;
  props.hands.nudge(by[0] * times, by[1] * times);
}
</script>

<template>
  <svg
    class="pointer-events-none absolute inset-0 size-full overflow-visible"
    :viewBox="`0 0 ${raster.width} ${raster.height}`"
    preserveAspectRatio="none"
  >
    <g v-for="stroke in ['rgb(0 0 0 / 0.55)', '#7cc4ff']" :key="stroke" :stroke fill="none">
      <g :stroke-width="(stroke.startsWith('#') ? 1 : 3) * scale">
        <rect
          v-for="(box, at) in drawn"
          :key="at"
          :x="box[0]"
          :y="box[1]"
          :width="box[2] - box[0]"
          :height="box[3] - box[1]"
        />
        <template v-for="(guide, at) in guides" :key="`guide ${at}`">
          <line v-if="guide.x !== undefined" :x1="guide.x" :x2="guide.x" y1="0" :y2="raster.height" />
          <line v-else x1="0" :x2="raster.width" :y1="guide.y" :y2="guide.y" />
        </template>
        <path
          v-if="pivot"
          :d="`M${pivot[0] - 5 * scale} ${pivot[1]}h${10 * scale}M${pivot[0]} ${pivot[1] - 5 * scale}v${10 * scale}`"
        />
        <line v-if="knob && whole" :x1="knob.x" :x2="knob.x" :y1="knob.y" :y2="whole[1]" />
      </g>
    </g>
    <rect
      v-if="whole"
      class="pointer-events-auto cursor-move touch-none outline-offset-2"
      fill="transparent"
      :x="whole[0]"
      :y="whole[1]"
      :width="Math.max(1, whole[2] - whole[0])"
      :height="Math.max(1, whole[3] - whole[1])"
      tabindex="0"
      role="button"
      :aria-label="`${hands.named.value}: drag to move, arrow keys move by a pixel, with Shift by ten`"
      @pointerdown="start($event, 'move')"
      @pointermove="move"
      @pointerup="end"
      @pointercancel="end"
      @keydown="key"
    />
    <rect
      v-for="(corner, at) in corners"
      :key="at"
      class="pointer-events-auto touch-none"
      fill="white"
      stroke="#1d5f93"
      :stroke-width="scale"
      :x="corner.x - 4 * scale"
      :y="corner.y - 4 * scale"
      :width="8 * scale"
      :height="8 * scale"
      :style="{ cursor: corner.cursor }"
      data-hand="size"
      @pointerdown="start($event, 'size', corner)"
      @pointermove="move"
      @pointerup="end"
      @pointercancel="end"
    />
    <circle
      v-if="knob"
      class="pointer-events-auto cursor-grab touch-none"
      fill="white"
      stroke="#1d5f93"
      :stroke-width="scale"
      :cx="knob.x"
      :cy="knob.y"
      :r="5 * scale"
      data-hand="turn"
      @pointerdown="start($event, 'turn')"
      @pointermove="move"
      @pointerup="end"
      @pointercancel="end"
    />
  </svg>
</template>
