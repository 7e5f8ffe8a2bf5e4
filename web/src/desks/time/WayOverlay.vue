<script setup lang="ts">
/** The way of the selected element over the picture: dots are frames, circles keys. Drawn by the browser: no file can contain it. */
import { computed, ref, watch } from "vue";

import { answer, api, Problem } from "@/api/client";
import { oneAtATime } from "@/api/latest";
import { useShot } from "@/shot/store";

import type { KeySheet } from "./useKeySheet";
import { wayDependsOn } from "./wayDepends";

const props = defineProps<{ sheet: KeySheet; raster: { width: number; height: number }; width: number }>();
const shot = useShot();
/** Frames that are drawn at most. */
const MOST = 1000;
const frames = ref<number[]>([]);
const places = ref<([number, number] | null)[]>([]);
const element = computed(() => {
  const at = /^elements\.(\d+)$/.exec(props.sheet.active.value?.part ?? "")?.[1];
  return at === undefined ? undefined : shot.draft?.elements[Number(at)];
});
const look = oneAtATime(async () => {
  const document = shot.draft;
  const id = element.value?.id;
  if (!document || !id) {
    places.value = [];
    return;
  }
  const all = shot.frames.slice(0, MOST);
  try {
    const found = await answer(
      api.POST("/api/shots/{shot_id}/way", {
        params: { path: { shot_id: shot.id } },
        body: { document: document as unknown as Record<string, never>, element: id, frames: all },
      }),
    );
    frames.value = all;
    places.value = found as ([number, number] | null)[];
  } catch (error) {
    // A document that does not hold says so at its field.
    if (!(error instanceof Problem)) throw error;
    places.value = [];
  }
});
/** A hand that drags what the way does not depend on asks for none. */
const standing = computed(() => (shot.draft && element.value ? wayDependsOn(shot.draft, element.value) : ""));
watch(standing, look, { immediate: true });
const scale = computed(() => props.raster.width / Math.max(1, props.width));
const keyed = computed(
  () =>
    new Set(
      shot.moving
        .filter((one) => one.part === props.sheet.active.value?.part && one.field.startsWith("placement.position"))
        .flatMap((one) => one.track.keys.map((key) => key.frame)),
    ),
);
const dots = computed(() =>
  places.value.flatMap((place, at) => (place ? [{ x: place[0], y: place[1], frame: frames.value[at] ?? 0 }] : [])),
);
/** A way that is none: what stands still. */
const goes = computed(() =>
  dots.value.some((one) => Math.hypot(one.x - (dots.value[0]?.x ?? 0), one.y - (dots.value[0]?.y ?? 0)) > 0.5),
);
</script>

<template>
  <svg
    v-if="goes"
    class="pointer-events-none absolute inset-0 size-full overflow-visible"
    :viewBox="`0 0 ${raster.width} ${raster.height}`"
    role="img"
    :aria-label="`Way of ${element?.name}`"
  >
    <g v-for="stroke in ['rgb(0 0 0 / 0.5)', 'white']" :key="stroke">
      <polyline
        :points="dots.map((one) => `${one.x},${one.y}`).join(' ')"
        fill="none"
        :stroke
        :stroke-width="(stroke === 'white' ? 1 : 3) * scale"
      />
    </g>
    <template v-for="dot in dots" :key="dot.frame">
      <circle
        :cx="dot.x"
        :cy="dot.y"
        :r="(keyed.has(dot.frame) ? 5 : dot.frame === shot.frame ? 4 : 1.8) * scale"
        :class="dot.frame === shot.frame ? 'fill-now' : keyed.has(dot.frame) ? 'fill-sheet' : 'fill-white'"
        :stroke="keyed.has(dot.frame) ? '#27495a' : 'rgb(0 0 0 / 0.6)'"
        :stroke-width="(keyed.has(dot.frame) ? 1.5 : 0.7) * scale"
      >
        <title>Frame {{ dot.frame }}</title>
      </circle>
    </template>
  </svg>
</template>
