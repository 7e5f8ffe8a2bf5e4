<script setup lang="ts">
/** A rendered frame at a whole-number magnification with hard pixels, or fitted; tells which pixel is pointed at. */
import { computed, nextTick, onBeforeUnmount, onMounted, ref, useTemplateRef, watch } from "vue";

import { surround } from "@/picture/grounds";

const props = defineProps<{
  src: string | null;
  playing: ImageBitmap | null;
  width: number;
  height: number;
  /** How many of these pixels, on each side, are overscan. */
  margin: number;
  label: string;
}>();
/** 0 fits the picture into its room; otherwise screen pixels for one picture pixel. */
const zoom = defineModel<number>("zoom", { required: true });
/** The pixel of the raster that is pointed at; those of overscan lie below 0 and beyond it. */
const emit = defineEmits<{ pixel: [at: { x: number; y: number } | null] }>();

const room = useTemplateRef("room");
const canvas = useTemplateRef("canvas");
const fit = ref(1);
const shown = ref(false);
function scaleAt(magnified: number) {
  return magnified === 0 ? fit.value : magnified / window.devicePixelRatio;
}
const scale = computed(() => scaleAt(zoom.value));
const style = computed(() => ({
  width: `${props.width * scale.value}px`,
  height: `${props.height * scale.value}px`,
  imageRendering: (zoom.value >= 1 ? "pixelated" : "auto") as "pixelated" | "auto",
}));
/** Where the raster ends: drawn by the browser, no file has it. */
const border = computed(() => ({ inset: `${props.margin * scale.value}px`, boxShadow: "0 0 0 2px rgb(0 0 0 / 0.55)" }));

function measure() {
  const box = room.value;
  if (box) fit.value = Math.min((box.clientWidth - 32) / props.width, (box.clientHeight - 32) / props.height);
}
watch([() => props.width, () => props.height], measure);
const observer = new ResizeObserver(measure);
onMounted(() => room.value && observer.observe(room.value));
onBeforeUnmount(() => observer.disconnect());

function draw(source: CanvasImageSource) {
  canvas.value?.getContext("2d")?.drawImage(source, 0, 0, props.width, props.height);
  shown.value = true;
}
let still: HTMLImageElement | null = null;
let asked = "";
watch(
  [() => props.src, canvas],
  ([src]) => {
    asked = src ?? "";
    if (!src) {
      shown.value = false;
      still = null;
      return;
    }
    const image = new Image();
    image.onload = () => {
      if (asked !== src) return;
      still = image;
      if (!props.playing) draw(image);
    };
    image.src = src;
  },
  { immediate: true },
);
watch(
  () => props.playing,
  (bitmap) => {
    if (bitmap) draw(bitmap);
    else if (still) draw(still);
  },
);

function point(event: PointerEvent) {
  const box = (event.currentTarget as HTMLElement).getBoundingClientRect();
  const x = Math.floor((event.clientX - box.left) / scale.value);
  const y = Math.floor((event.clientY - box.top) / scale.value);
  emit(
    "pixel",
    x >= 0 && y >= 0 && x < props.width && y < props.height ? { x: x - props.margin, y: y - props.margin } : null,
  );
}
const STEPS = [0, 1, 2, 4, 8, 16];
/** Where in the view the next magnification keeps the picture: under the pointer, or else in the middle. */
let held: { x: number; y: number } | null = null;
function magnify(by: number) {
  const step = STEPS[STEPS.indexOf(zoom.value) + by];
  // Beyond the first and the last step there is none, and nothing that could ask for the place that was held.
  if (step === undefined) held = null;
  else zoom.value = step;
}
function wheel(event: WheelEvent) {
  if (!event.ctrlKey && !event.shiftKey) return;
  event.preventDefault();
  const view = room.value?.getBoundingClientRect();
  held = view ? { x: event.clientX - view.left, y: event.clientY - view.top } : null;
  magnify(event.deltaY + event.deltaX < 0 ? 1 : -1);
}
/** Whoever asks for it: what is looked at stays where it is. */
watch(zoom, (_, before) => {
  const view = room.value;
  const box = canvas.value?.getBoundingClientRect();
  if (!view || !box) return;
  const outer = view.getBoundingClientRect();
  const at = held ?? { x: view.clientWidth / 2, y: view.clientHeight / 2 };
  held = null;
  const place = {
    x: (outer.left + at.x - box.left) / scaleAt(before),
    y: (outer.top + at.y - box.top) / scaleAt(before),
  };
  void nextTick(() => {
    const now = canvas.value?.getBoundingClientRect();
    if (!now) return;
    view.scrollLeft += now.left + place.x * scale.value - outer.left - at.x;
    view.scrollTop += now.top + place.y * scale.value - outer.top - at.y;
  });
});
function pressed(event: KeyboardEvent) {
  if (event.target instanceof HTMLInputElement) return;
  if (event.key === "+" || event.key === "=") magnify(1);
  if (event.key === "-") magnify(-1);
}
onMounted(() => window.addEventListener("keydown", pressed));
onBeforeUnmount(() => window.removeEventListener("keydown", pressed));
</script>

<template>
  <div
    ref="room"
    class="grid min-h-0 min-w-0 overflow-auto"
    :class="surround.dark ? 'bg-surround-dark' : 'bg-surround'"
    tabindex="0"
    aria-label="Rendered frame"
    @wheel="wheel"
  >
    <div class="relative m-auto p-4">
      <div class="relative">
        <canvas
          ref="canvas"
          class="block max-w-none cursor-crosshair"
          :class="{ 'opacity-0': !shown }"
          :width
          :height
          :style
          role="img"
          :aria-label="label"
          :data-shown="shown"
          @pointermove="point"
          @pointerleave="emit('pixel', null)"
        />
        <div
          v-if="shown && margin"
          class="pointer-events-none absolute outline-1 outline-offset-0 outline-white"
          :style="border"
          data-raster
        />
      </div>
      <div v-if="!shown" class="absolute inset-0 grid place-items-center text-center text-white"><slot /></div>
    </div>
  </div>
</template>
