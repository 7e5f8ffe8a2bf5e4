<script setup lang="ts">
/** The draft as the renderer of the output shows it: rough while something moves, sharp when the hand rests. */
import { computed, onBeforeUnmount, ref, useTemplateRef, watch } from "vue";

import { inSteps } from "@/api/latest";
import { useStudio } from "@/api/studio";
import type { ShotDocument } from "@/shot/document";
import { useShot } from "@/shot/store";

import { ground } from "./grounds";
import { cameraHandle, type Changes, type Handle } from "./handles";
import { keepPace, paceAfter, paceOf, widthOf, withRays } from "./pace";
import PictureFrame from "./PictureFrame.vue";
import { type Ghosts, heightFor } from "./request";
import { useLatest } from "./useLatest";

const props = withDefaults(
  defineProps<{
    movable?: boolean;
    playing?: ImageBitmap | null;
    handle?: Handle;
    what?: string;
    layer?: string;
    /** Neighbouring frames shown through the picture. */
    ghosts?: Ghosts | null;
  }>(),
  {
    movable: false,
    playing: null,
    handle: () => cameraHandle,
    what: "picture",
    layer: "",
    ghosts: null,
  },
);

const REST_MS = 260;
const shot = useShot();
const latest = useLatest();
const canvas = useTemplateRef("canvas");
const viewWidth = ref(640);
let timer = 0;

const raster = computed(() => shot.raster ?? { width: 16, height: 9 });

/** In the pixel look the picture has the output's pixels, each a whole number of the screen's. */
const pixelated = computed(() => shot.draft?.pixels.on ?? false);
const shownSize = ref<{ width: string; height: string } | null>(null);

function ask(quality: "rough" | "final") {
  const draft = shot.draft;
  if (!draft) return;
  const room = viewWidth.value * window.devicePixelRatio;
  const full = pixelated.value ? room : Math.min(room, raster.value.width);
  const rough = quality === "rough" && !pixelated.value;
  const width = Math.max(2, Math.floor(rough ? widthOf(paceOf(shot.id), full) : full));
  const height = heightFor(width, raster.value);
  const kind = quality === "rough" ? "jpeg" : "png";
  const of = { document: draft, frame: shot.frame, layer: props.layer, what: props.what, ghosts: props.ghosts };
  // A moving hand does not wait for blur, and for shadows only where they come soon; the sharp picture has them.
  const moving = quality === "rough";
  const rays = !moving || withRays(paceOf(shot.id), performance.now());
  const request = { ...of, width, height, quality, kind, ground, blurred: !moving, rays } as const;
  latest.ask(shot.id, request, `${shot.frame} ${quality}`);
}

function moved() {
  ask("rough");
  window.clearTimeout(timer);
  timer = window.setTimeout(() => ask("final"), REST_MS);
}
watch(
  [
    () => shot.draft,
    () => shot.frame,
    () => ({ ...ground }),
    () => props.what,
    () => props.layer,
    () => props.ghosts,
    viewWidth,
  ],
  moved,
  {
    immediate: true,
  },
);
watch(useStudio().returned, moved);
onBeforeUnmount(() => window.clearTimeout(timer));

function draw(bitmap: ImageBitmap | undefined | null) {
  const target = canvas.value;
  if (!target || !bitmap) return;
  if (target.width !== bitmap.width || target.height !== bitmap.height) {
    target.width = bitmap.width;
    target.height = bitmap.height;
  }
  const pixel = 1 / window.devicePixelRatio;
  shownSize.value = pixelated.value
    ? { width: `${bitmap.width * pixel}px`, height: `${bitmap.height * pixel}px` }
    : null;
  target.getContext("2d")?.drawImage(bitmap, 0, 0);
}
watch([() => latest.shown.value, canvas], () => {
  const shown = latest.shown.value;
  if (shown?.tag.endsWith("rough"))
    keepPace(shot.id, paceAfter(paceOf(shot.id), shown.milliseconds, shown.bitmap.width, performance.now()));
  if (!props.playing) draw(latest.shown.value?.bitmap);
  if (
    latest.failure.value === null &&
    shot.failure &&
    ["font", "input", "limit", "offline"].includes(shot.failure.code)
  )
    shot.clearNote();
});
watch(
  () => props.playing,
  (bitmap) => draw(bitmap ?? latest.shown.value?.bitmap),
);
watch(latest.failure, (failure) => failure && shot.note(failure));

const label = computed(() => {
  const what = props.handle === cameraHandle ? "the camera round the set" : props.handle.name;
  return `Frame ${shot.frame}` + (props.movable ? `; drag or use the arrow keys to move ${what}` : "");
});
/** A click that moved nothing, at a place in pixels of the raster. */
const emit = defineEmits<{ pick: [x: number, y: number, event: MouseEvent] }>();
defineSlots<{
  default(slotted: { width: number; place: (event: MouseEvent) => [number, number] }): unknown;
  over(): unknown;
}>();
function place(event: MouseEvent): [number, number] {
  const box = canvas.value?.getBoundingClientRect();
  if (!box) return [0, 0];
  return [
    ((event.clientX - box.left) / box.width) * raster.value.width,
    ((event.clientY - box.top) / box.height) * raster.value.height,
  ];
}
/** So far (CSS pixels) a click may slip without being a drag. */
const SLIP = 3;
let drag: { x: number; y: number; panning: boolean; from: [number, number]; moved: boolean } | null = null;
function apply(changes: Changes, commit = false) {
  const entries = Object.entries(changes);
  entries.forEach(([path, value], at) => {
    shot.edit(path, value, commit && at === entries.length - 1, props.handle.name);
  });
}
function drawn(): ShotDocument {
  // What moves is taken hold of where it is now.
  return shot.seen as ShotDocument;
}
function start(event: PointerEvent) {
  if (!props.movable || event.button > 2) return;
  const { clientX: x, clientY: y } = event;
  drag = { x, y, panning: event.shiftKey || event.button === 2, from: [x, y], moved: false };
  (event.currentTarget as HTMLElement).setPointerCapture(event.pointerId);
}
function moveTo(x: number, y: number) {
  if (!drag) return;
  const dx = x - drag.x;
  const dy = y - drag.y;
  if (!dx && !dy) return;
  if (!drag.moved && Math.hypot(x - drag.from[0], y - drag.from[1]) <= SLIP) return;
  drag.moved = true;
  drag.x = x;
  drag.y = y;
  apply(drag.panning ? props.handle.slide(drawn(), dx, dy, viewWidth.value) : props.handle.turn(drawn(), dx, dy));
}
const follow = inSteps(([x, y]: [number, number]) => moveTo(x, y));
function move(event: PointerEvent) {
  if (drag) follow([event.clientX, event.clientY]);
}
function end(event: PointerEvent) {
  if (event.type === "pointerup") moveTo(event.clientX, event.clientY);
  const was = drag;
  drag = null;
  if (!was) return;
  if (was.moved) void shot.save();
  else if (event.type === "pointerup" && event.button === 0) emit("pick", ...place(event), event);
}
let wheelTimer = 0;
function wheel(event: WheelEvent) {
  if (!props.movable) return;
  event.preventDefault();
  apply(props.handle.approach(drawn(), event.deltaY));
  window.clearTimeout(wheelTimer);
  wheelTimer = window.setTimeout(() => void shot.save(), 300);
}
const KEYS: Record<string, [number, number]> = {
  ArrowLeft: [-10, 0],
  ArrowRight: [10, 0],
  ArrowUp: [0, -10],
  ArrowDown: [0, 10],
};
function key(event: KeyboardEvent) {
  const by = KEYS[event.key];
  if (!props.movable || !by) return;
  event.preventDefault();
  event.stopPropagation();
  const [dx, dy] = by;
  apply(
    event.shiftKey ? props.handle.slide(drawn(), dx, dy, viewWidth.value) : props.handle.turn(drawn(), dx, dy),
    true,
  );
}
</script>

<template>
  <PictureFrame :width="raster.width" :height="raster.height" @size="viewWidth = $event">
    <canvas
      ref="canvas"
      class="touch-none"
      :class="[
        movable ? 'cursor-grab active:cursor-grabbing' : '',
        shownSize ? 'absolute inset-0 m-auto [image-rendering:pixelated]' : 'block size-full',
      ]"
      :style="shownSize"
      role="img"
      :tabindex="movable ? 0 : -1"
      :aria-label="label"
      :data-pictures="latest.count.value"
      :data-shown="latest.shown.value?.tag"
      @pointerdown="start"
      @pointermove="move"
      @pointerup="end"
      @pointercancel="end"
      @wheel="wheel"
      @keydown="key"
      @contextmenu.prevent
    />
    <slot :width="viewWidth" :place />
    <template #over>
      <p
        v-if="latest.awaited.value && !playing"
        :key="latest.awaited.value"
        class="late pointer-events-none absolute inset-x-0 bottom-1 text-center text-xs text-white"
        :class="latest.shown.value ? '' : 'top-1/2'"
      >
        {{ latest.shown.value ? "a sharper picture is on its way …" : "rendering …" }}
      </p>
      <p
        v-if="latest.failure.value"
        class="absolute inset-x-4 top-4 mx-auto max-w-lg rounded-sm bg-sheet px-3 py-2 text-center shadow"
        role="status"
      >
        ✕ {{ latest.failure.value.message }}
      </p>
      <slot name="over" />
    </template>
  </PictureFrame>
</template>
