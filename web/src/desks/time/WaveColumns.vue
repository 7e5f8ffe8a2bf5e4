<script setup lang="ts">
/** Sounds down the sheet: how loud they are in each quarter of a frame, and where they get loud all at once. */
import { computed, ref, shallowRef, watch } from "vue";

import { answer, api, Problem, type Schemas } from "@/api/client";
import { useShot } from "@/shot/store";

import { WAVE } from "./layout";

const props = defineProps<{ start: number; row: number; from: number; to: number; lines: number }>();
const emit = defineEmits<{ loud: [frames: number[]] }>();
const shot = useShot();
/** Frames that are asked for at once; what is in sight is always within. */
const AT_ONCE = 240;
const QUARTERS = 4;
const first = ref(0);
const found = shallowRef<Schemas["WaveformOut"][]>([]);
let number = 0;

watch(
  [() => shot.draft?.sounds, () => shot.draft?.timing, () => props.from, () => props.to],
  async (now, before) => {
    const document = shot.draft;
    const within = props.from >= first.value && props.to < first.value + AT_ONCE;
    if (!document || (found.value.length && within && now[0] === before[0] && now[1] === before[1])) return;
    const own = ++number;
    const begin = Math.max(0, props.from - AT_ONCE / 3);
    try {
      const waves = await answer(
        api.POST("/api/shots/{shot_id}/waveforms", {
          params: { path: { shot_id: shot.id } },
          body: { document: document as unknown as Record<string, never>, first: Math.floor(begin), count: AT_ONCE },
        }),
      );
      if (own !== number) return;
      first.value = Math.floor(begin);
      found.value = waves;
      emit(
        "loud",
        waves.flatMap((one) => one.loud.map((frame) => Math.round(frame))),
      );
    } catch (error) {
      // What is wrong with a sound is said among the findings.
      if (!(error instanceof Problem)) throw error;
      found.value = [];
    }
  },
  { immediate: true },
);
const middle = WAVE / 2;
const drawn = computed(() =>
  found.value.map((one) => {
    const y = (at: number) => (first.value - props.start + at / QUARTERS) * props.row;
    const right = one.highs.map(
      (value, at) => `${(middle + Math.min(value, 1) * (middle - 3)).toFixed(1)},${y(at + 0.5).toFixed(1)}`,
    );
    const left = one.lows.map(
      (value, at) => `${(middle + Math.max(value, -1) * (middle - 3)).toFixed(1)},${y(at + 0.5).toFixed(1)}`,
    );
    return {
      id: one.sound,
      name: shot.draft?.sounds?.find((sound) => sound.id === one.sound)?.name ?? "",
      points: [...right, ...left.reverse()].join(" "),
      loud: one.loud.filter((frame) => frame >= props.from - 1 && frame <= props.to + 1),
    };
  }),
);
</script>

<template>
  <div
    v-for="one in drawn"
    :key="one.id"
    class="pointer-events-none relative h-full shrink-0 border-l border-line"
    :style="{ width: `${WAVE}px` }"
    role="img"
    :aria-label="`How loud ${one.name} is`"
  >
    <svg class="absolute top-0 left-0" :width="WAVE" :height="lines * row">
      <line :x1="middle" :x2="middle" y1="0" :y2="lines * row" class="stroke-rule" />
      <polygon :points="one.points" class="fill-select-ink/70" />
      <path
        v-for="frame in one.loud"
        :key="frame"
        :d="`M ${WAVE - 1} ${(frame - start) * row} l -6 -3.5 v 7 z`"
        class="fill-ink"
      >
        <title>It gets loud at frame {{ Math.round(frame) }}</title>
      </path>
    </svg>
  </div>
</template>
