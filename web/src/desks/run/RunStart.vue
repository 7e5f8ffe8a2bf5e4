<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from "vue";

import { api, finished, Problem, type Schemas } from "@/api/client";
import { useOffers } from "@/api/offers";
import ChoiceField from "@/controls/ChoiceField.vue";
import PressButton from "@/controls/PressButton.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import TextField from "@/controls/TextField.vue";
import { duration, megabytes } from "@/shot/cellMarks";
import { useShot } from "@/shot/store";

const emit = defineEmits<{ start: [frames: string, quality: string, layers: string[]] }>();
const shot = useShot();
const offers = useOffers();
const which = ref("range");
const own = ref("");
const estimate = ref<Schemas["EstimateOut"] | null>(null);
const failure = ref("");
const WHICH = [
  { name: "range", title: "The range" },
  { name: "frame", title: "This frame" },
  { name: "own", title: "A set" },
];
const frames = computed(() =>
  which.value === "range" ? "" : which.value === "frame" ? String(shot.frame) : own.value.trim(),
);
/** Layers that are not to be rendered this time, of those that are on. */
const without = ref(new Set<string>());
const on = computed(() => (shot.draft?.layers ?? []).filter((one) => one.on).map((one) => one.name));
const layers = computed(() => on.value.filter((one) => !without.value.has(one)));
function toggle(name: string) {
  const next = new Set(without.value);
  if (!next.delete(name)) next.add(name);
  without.value = next;
}
const quality = computed(() => shot.draft?.quality ?? "final");
const qualities = computed(() => (offers.value?.qualities ?? []).map((one) => ({ name: one.name, title: one.name })));
const note = computed(() => offers.value?.qualities.find((one) => one.name === quality.value)?.title);

/** Counts what was asked for: only the newest is wanted, and only while this is looked at. */
let asked = 0;
/** What is going on while the cost is found out. */
const under = ref("");
async function measure() {
  const document = shot.draft;
  const number = ++asked;
  under.value = "";
  if (!document || (which.value === "own" && !frames.value) || !layers.value.length) return;
  failure.value = "";
  const wanted = () => number === asked;
  try {
    const found = await finished<Schemas["EstimateOut"]>(
      shot.id,
      () =>
        api.POST("/api/shots/{shot_id}/estimate", {
          params: { path: { shot_id: shot.id } },
          body: {
            document: document as unknown as Record<string, never>,
            quality: quality.value as "final",
            frame_set: frames.value,
            layers: layers.value,
          },
        }),
      wanted,
      (waits) => (under.value = waits ? "Others are served first …" : "A frame of each layer is rendered …"),
    );
    if (found) estimate.value = found;
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    if (!wanted()) return;
    failure.value = error.message;
    estimate.value = null;
  }
  if (wanted()) under.value = "";
}
onBeforeUnmount(() => {
  window.clearTimeout(timer);
  asked++;
});
function costOf(name: string) {
  return estimate.value?.layers.find((one) => one.layer === name);
}
let timer = 0;
watch(
  [() => shot.draft, frames, layers],
  () => {
    window.clearTimeout(timer);
    timer = window.setTimeout(measure, 300);
  },
  { immediate: true },
);
</script>

<template>
  <SectionBlock title="A new run">
    <ChoiceField label="Frames" :model-value="which" :options="WHICH" @commit="which = $event" />
    <TextField
      v-if="which === 'own'"
      label="Frame set, such as 1-10,20,30-40x2"
      :model-value="own"
      @update="own = $event"
    />
    <div
      v-if="which === 'own' && shot.draft?.ranges?.length"
      class="flex flex-wrap gap-1.5"
      aria-label="Named ranges"
      role="group"
    >
      <PressButton
        v-for="one in shot.draft.ranges"
        :key="one.name"
        :aria-pressed="own === `${one.first}-${one.last}`"
        @click="own = `${one.first}-${one.last}`"
        >{{ one.name }}</PressButton
      >
    </div>
    <ChoiceField
      label="Quality"
      :model-value="quality"
      :options="qualities"
      initial="final"
      @commit="shot.edit('quality', $event, true, 'Quality')"
    />
    <p class="text-xs text-soft">{{ note }}</p>
    <ul v-if="on.length > 1" class="border-y border-line" aria-label="Layers of this run">
      <li v-for="name in on" :key="name" class="flex items-center justify-between gap-2 border-b border-line/60">
        <label class="flex min-w-0 items-center gap-1.5 py-0.5">
          <input
            type="checkbox"
            class="accent-select-ink"
            :checked="!without.has(name)"
            :aria-label="`Render ${name}`"
            @change="toggle(name)"
          />
          <span class="truncate">{{ name }}</span>
        </label>
        <span v-if="costOf(name)" class="text-right text-xs whitespace-nowrap text-soft">
          <template v-if="costOf(name)!.reused < costOf(name)!.frames">
            {{ costOf(name)!.frames - costOf(name)!.reused }} of {{ costOf(name)!.frames }} to render,
            {{ duration(costOf(name)!.seconds) }}, {{ megabytes(costOf(name)!.bytes) }}
          </template>
          <template v-else>all {{ costOf(name)!.frames }} are rendered</template>
        </span>
      </li>
    </ul>
    <p v-if="shot.examined?.naming_error" class="text-now" role="alert">✕ {{ shot.examined.naming_error }}</p>
    <p v-if="failure" class="text-now" role="alert">✕ {{ failure }}</p>
    <dl
      v-else-if="estimate"
      class="grid grid-cols-[1fr_auto] gap-x-3 border-y border-line py-1.5"
      aria-label="Before the start"
    >
      <dt class="text-soft">Frames</dt>
      <dd class="text-right">{{ estimate.frames }}</dd>
      <template v-if="which === 'range'">
        <dt class="text-soft">Length</dt>
        <dd class="text-right">{{ shot.examined?.length.seconds }} s, {{ shot.examined?.length.timecode }}</dd>
      </template>
      <dt class="text-soft">Raster</dt>
      <dd class="text-right">
        {{ shot.draft?.raster.width }} × {{ shot.draft?.raster.height
        }}{{ shot.draft?.raster.overscan ? `, ${shot.draft.raster.overscan} around` : "" }}
      </dd>
      <dt class="text-soft">Rendered already, or repeated</dt>
      <dd class="text-right">{{ estimate.reused }}</dd>
      <template v-if="estimate.proof_seconds">
        <dt class="text-soft">To prove that layers rejoin</dt>
        <dd class="text-right">about {{ duration(estimate.proof_seconds) }}</dd>
      </template>
      <dt class="text-soft">Expected time</dt>
      <dd class="text-right">about {{ duration(estimate.seconds) }}</dd>
      <dt class="text-soft">Masters on disk</dt>
      <dd class="text-right">about {{ megabytes(estimate.bytes) }}</dd>
      <dt class="text-soft">Files to hand off</dt>
      <dd class="text-right">{{ estimate.files }}, about {{ megabytes(estimate.file_bytes) }}</dd>
    </dl>
    <p v-if="!failure && (under || !estimate)" class="text-soft" role="status">
      {{ under || "Measuring one frame…" }}
    </p>
    <PressButton
      primary
      :disabled="shot.dirty || !!shot.examined?.naming_error || (which === 'own' && !own.trim()) || !layers.length"
      @click="emit('start', frames, quality, layers)"
    >
      {{ which === "frame" ? `Render frame ${shot.frame}` : "Start the run" }}
    </PressButton>
  </SectionBlock>
</template>
