<script setup lang="ts">
/**
 * The parts of a puppet on the picture: a dot where each turns. The chosen one is turned by its tip (which reaches, if it is told to),
 * moved by its bone, and turns about another point once its dot is dragged. Drawn by the browser over the picture.
 */
import { computed, ref } from "vue";

import { back, type Marked, pixelOf, placeOn, useMarks } from "@/picture/useMarks";
import type { Element } from "@/shot/document";
import { movesOf } from "@/shot/moves";
import { useShot } from "@/shot/store";

import { chosenLimb, type Limb } from "./limbs";

const props = defineProps<{
  element: Element;
  path: string;
  raster: { width: number; height: number };
  width: number;
}>();
type Pair = [number, number];
const shot = useShot();
const { marks, settled } = useMarks(
  computed(() => props.element.id),
  computed(() => !props.element.locked),
);
const scale = computed(() => props.raster.width / Math.max(1, props.width));
/** The plane itself has no name. */
const limbs = computed(() => marks.value.filter((one) => one.name));
const plane = computed(() => marks.value.find((one) => !one.name));
const chosen = computed(() => limbs.value.find((one) => one.name === chosenLimb.value[props.element.id]));
/** Screen pixels that a click may slip. */
const SLIP = 3;
type What = "turn" | "move" | "pivot" | "joint" | "choose";
let drag: { what: What; mark: Marked; plane: Marked | undefined; from: Pair; moved: boolean; before: Limb } | null =
  null;
const holds = ref<What | "">("");

/** How a part stands at the frame on show. */
function standing(code: string): Limb {
  const now = shot.seen?.elements.find((one) => one.id === props.element.id) ?? props.element;
  return ((now.limbs as Record<string, Limb> | undefined) ?? {})[code] ?? {};
}
const where = (mark: Marked, at: number): Pair => (mark.points[at] ?? mark.points[0] ?? [0, 0]) as Pair;
const field = (code: string, name: string) => `${props.path}.limbs.${code}.${name}`;

function start(event: PointerEvent, mark: Marked, what: What) {
  if (event.button !== 0) return;
  event.stopPropagation();
  // Where a point is to be on a part is worked out from where that is: not from where it was a moment ago.
  if (!settled.value && (what === "pivot" || what === "joint")) return;
  (event.currentTarget as globalThis.Element).setPointerCapture(event.pointerId);
  drag = {
    what,
    mark,
    plane: plane.value,
    from: pixelOf(event, scale.value),
    moved: false,
    before: standing(mark.name),
  };
  holds.value = what;
}
const rounded = (value: number, steps: number) => Math.round(value * steps) / steps;

function move(event: PointerEvent) {
  if (!drag || drag.what === "choose") return;
  const at = pixelOf(event, scale.value);
  const { mark, from, before } = drag;
  if (!drag.moved && Math.hypot(at[0] - from[0], at[1] - from[1]) <= SLIP * scale.value) return;
  drag.moved = true;
  const code = mark.name;
  const pivot = where(mark, 0);
  if (drag.what === "turn" && (before.reach as number | undefined)) {
    const goal = drag.plane && placeOn(drag.plane, at);
    if (goal) shot.edit(field(code, "reach_to"), [rounded(goal[0], 100), rounded(goal[1], 100)], false);
  } else if (drag.what === "turn") {
    const one = back(mark.carried, [from[0] - pivot[0], from[1] - pivot[1]]);
    const other = back(mark.carried, [at[0] - pivot[0], at[1] - pivot[1]]);
    if (!one || !other) return;
    let degrees = ((Math.atan2(other[1], other[0]) - Math.atan2(one[1], one[0])) * 180) / Math.PI;
    degrees = ((((degrees + 180) % 360) + 360) % 360) - 180;
    const turn = (before.turn ?? 0) + degrees;
    shot.edit(field(code, "turn"), event.shiftKey ? Math.round(turn / 15) * 15 : rounded(turn, 10), false);
  } else if (drag.what === "move") {
    const way = back(mark.carried, [at[0] - from[0], at[1] - from[1]]);
    const [x, y] = before.move ?? [0, 0];
    if (way) shot.edit(field(code, "move"), [rounded(x + way[0], 100), rounded(y + way[1], 100)], false);
  } else if (drag.what === "joint") {
    const place = placeOn(mark, at);
    if (!place) return;
    shot.edit(field(code, "bends_at"), "a point", false);
    shot.edit(field(code, "joint"), [rounded(place[0], 100), rounded(place[1], 100)], false);
  } else replant(mark, at, before);
}
/** Another point to turn about; the part stays where it is, unless it moves by keys. */
function replant(mark: Marked, at: Pair, before: Limb) {
  const code = mark.name;
  const [was, is] = [placeOn(mark, where(mark, 0)), placeOn(mark, at)];
  if (!was || !is) return;
  shot.edit(field(code, "turns_about"), "a point", false);
  shot.edit(field(code, "pivot"), [rounded(is[0], 100), rounded(is[1], 100)], false);
  const moves = shot.draft ? Object.keys(movesOf(shot.draft, props.path)) : [];
  if (moves.some((one) => one.startsWith(`limbs.${code}.move`))) return;
  const way: Pair = [was[0] - is[0], was[1] - is[1]];
  const [a, b, , d, e] = mark.own;
  const own = back(mark.carried, [a * way[0] + b * way[1], d * way[0] + e * way[1]]);
  const [x, y] = before.move ?? [0, 0];
  if (own)
    shot.edit(field(code, "move"), [rounded(x + way[0] - own[0], 1000), rounded(y + way[1] - own[1], 1000)], false);
}
function end() {
  if (!drag) return;
  const { what, mark, moved } = drag;
  drag = null;
  holds.value = "";
  chosenLimb.value = { ...chosenLimb.value, [props.element.id]: mark.name };
  if (!moved) return;
  const done = {
    turn: "turned",
    move: "moved",
    pivot: "turns about another point",
    joint: "bends at another point",
    choose: "",
  }[what];
  shot.editMany({}, `${mark.name.replaceAll("_", " ")} ${done}`);
}
</script>

<template>
  <svg
    v-if="limbs.length"
    class="pointer-events-none absolute inset-0 z-10 size-full overflow-visible"
    :viewBox="`0 0 ${raster.width} ${raster.height}`"
    preserveAspectRatio="none"
    role="group"
    aria-label="Parts on the picture"
    :data-settled="settled"
    @pointermove="move"
    @pointerup="end"
    @pointercancel="end"
  >
    <template v-if="chosen">
      <g v-for="stroke in ['rgb(0 0 0 / 0.55)', '#ffd479']" :key="stroke" :stroke fill="none">
        <line
          :x1="where(chosen, 0)[0]"
          :y1="where(chosen, 0)[1]"
          :x2="where(chosen, 1)[0]"
          :y2="where(chosen, 1)[1]"
          :stroke-width="(stroke.startsWith('#') ? 2 : 4) * scale"
        />
      </g>
      <line
        class="pointer-events-auto cursor-move touch-none"
        stroke="transparent"
        :stroke-width="12 * scale"
        :x1="where(chosen, 0)[0]"
        :y1="where(chosen, 0)[1]"
        :x2="where(chosen, 1)[0]"
        :y2="where(chosen, 1)[1]"
        data-limb="move"
        @pointerdown="start($event, chosen, 'move')"
      >
        <title>Drag: move {{ chosen.name.replaceAll("_", " ") }}</title>
      </line>
    </template>
    <circle
      v-for="one in limbs.filter((limb) => limb !== chosen)"
      :key="one.name"
      class="pointer-events-auto cursor-pointer touch-none"
      fill="#ffd479"
      fill-opacity="0.85"
      stroke="rgb(0 0 0 / 0.7)"
      :stroke-width="scale"
      :cx="where(one, 0)[0]"
      :cy="where(one, 0)[1]"
      :r="3.5 * scale"
      :data-limb="one.name"
      @pointerdown="start($event, one, 'choose')"
    >
      <title>{{ one.name.replaceAll("_", " ") }}</title>
    </circle>
    <template v-if="chosen">
      <rect
        class="pointer-events-auto cursor-crosshair touch-none"
        fill="#ffd479"
        stroke="black"
        :stroke-width="scale"
        :x="-5 * scale"
        :y="-5 * scale"
        :width="10 * scale"
        :height="10 * scale"
        :transform="`translate(${where(chosen, 0)[0]} ${where(chosen, 0)[1]}) rotate(45)`"
        data-limb="pivot"
        @pointerdown="start($event, chosen, 'pivot')"
      >
        <title>Drag: {{ chosen.name.replaceAll("_", " ") }} turns about another point</title>
      </rect>
      <rect
        v-if="chosen.points.length > 2"
        class="pointer-events-auto cursor-crosshair touch-none"
        fill="white"
        stroke="black"
        :stroke-width="scale"
        :x="where(chosen, 2)[0] - 3.5 * scale"
        :y="where(chosen, 2)[1] - 3.5 * scale"
        :width="7 * scale"
        :height="7 * scale"
        data-limb="joint"
        @pointerdown="start($event, chosen, 'joint')"
      >
        <title>Drag: {{ chosen.name.replaceAll("_", " ") }} bends at another point</title>
      </rect>
      <circle
        class="pointer-events-auto touch-none"
        :class="holds === 'turn' ? 'cursor-grabbing' : 'cursor-grab'"
        fill="white"
        stroke="black"
        :stroke-width="1.5 * scale"
        :cx="where(chosen, 1)[0]"
        :cy="where(chosen, 1)[1]"
        :r="5.5 * scale"
        data-limb="tip"
        @pointerdown="start($event, chosen, 'turn')"
      >
        <title>Drag: turn {{ chosen.name.replaceAll("_", " ") }}; with Shift in steps of 15 degrees</title>
      </circle>
    </template>
  </svg>
</template>
