<script setup lang="ts">
/** How light is spread over what is solid: from dark to bright as encoded in files, one line for each channel. */
import { X } from "@lucide/vue";
import { computed, onBeforeUnmount, shallowRef, watch } from "vue";

import { answer, api, Problem, type Schemas } from "@/api/client";
import { useShot } from "@/shot/store";

const emit = defineEmits<{ close: [] }>();
const shot = useShot();
const found = shallowRef<Schemas["HistogramOut"] | null>(null);
/** The picture comes first: numbers follow when the hand rests, in ms. */
const REST_MS = 200;
let timer = 0;
let number = 0;

async function ask() {
  const own = ++number;
  const body = { document: shot.draft as unknown as Record<string, never>, frame: shot.frame };
  try {
    const answered = await answer(
      api.POST("/api/shots/{shot_id}/histogram", { params: { path: { shot_id: shot.id } }, body }),
    );
    if (own === number) found.value = answered;
  } catch (error) {
    // What is wrong with the document is said beside its field; here the last numbers stay.
    if (!(error instanceof Problem)) throw error;
  }
}
watch(
  [() => shot.draft, () => shot.frame],
  () => {
    window.clearTimeout(timer);
    timer = window.setTimeout(() => void ask(), REST_MS);
  },
  { immediate: true },
);
onBeforeUnmount(() => window.clearTimeout(timer));

const WIDTH = 192;
const HEIGHT = 72;
const channels = computed(() => {
  const all = found.value;
  if (!all) return [];
  // The ends hold what is clipped; the scale is that of the rest, by square roots, so that small shares are seen.
  const inner = [all.red, all.green, all.blue].flatMap((one) => one.slice(1, -1));
  const most = Math.sqrt(Math.max(...inner, 1e-6));
  return (["red", "green", "blue"] as const).map((name) => ({
    name,
    points: all[name]
      .map((share, at) => {
        const x = ((at + 0.5) / all[name].length) * WIDTH;
        return `${x.toFixed(1)},${(HEIGHT - Math.min(1, Math.sqrt(share) / most) * (HEIGHT - 4)).toFixed(1)}`;
      })
      .join(" "),
  }));
});
function percent(share: number) {
  return share > 0 && share < 0.001 ? "< 0.1 %" : `${(share * 100).toFixed(1)} %`;
}
const COLOURS = { red: "#b3341c", green: "#2f7d4f", blue: "#2d5fa8" };
</script>

<template>
  <aside
    class="absolute right-3 bottom-3 w-[13.5rem] rounded-sm border border-line bg-sheet/95 p-2 shadow"
    aria-label="Histogram"
  >
    <div class="flex justify-between">
      <h3 class="font-title">Spread of light</h3>
      <button type="button" aria-label="Close the histogram" @click="emit('close')">
        <X :size="14" aria-hidden="true" />
      </button>
    </div>
    <p v-if="found && !found.solid" class="text-soft">Nothing solid is in the picture.</p>
    <template v-else-if="found">
      <svg :viewBox="`0 0 ${WIDTH} ${HEIGHT}`" class="block w-full" role="img" aria-label="Shares from dark to bright">
        <line :x1="0" :x2="WIDTH" :y1="HEIGHT" :y2="HEIGHT" stroke="#b9b6ab" />
        <line
          v-for="k in 3"
          :key="k"
          :x1="(k * WIDTH) / 4"
          :x2="(k * WIDTH) / 4"
          y1="0"
          :y2="HEIGHT"
          stroke="#d8d6cd"
        />
        <polyline
          v-for="one in channels"
          :key="one.name"
          :points="one.points"
          fill="none"
          :stroke="COLOURS[one.name]"
          stroke-width="1.25"
          :stroke-dasharray="one.name === 'green' ? '4 2' : one.name === 'blue' ? '1.5 1.5' : undefined"
        />
      </svg>
      <dl class="grid grid-cols-[1fr_auto] gap-x-2 pt-1">
        <dt class="text-soft">burnt out to white</dt>
        <dd>{{ percent(found.burnt) }}</dd>
        <dt class="text-soft">one channel beyond</dt>
        <dd>{{ percent(found.one_burnt) }}</dd>
        <dt class="text-soft">black</dt>
        <dd>{{ percent(found.black) }}</dd>
        <dt class="text-soft">picture that is solid</dt>
        <dd>{{ percent(found.solid) }}</dd>
      </dl>
    </template>
    <p v-else class="text-soft">Counting …</p>
  </aside>
</template>
