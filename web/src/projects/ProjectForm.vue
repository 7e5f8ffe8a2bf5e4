<script setup lang="ts">
import { computed, reactive, ref } from "vue";

import type { Schemas } from "@/api/client";
import { useOffers } from "@/api/offers";
import ListField from "@/controls/ListField.vue";
import NumberField from "@/controls/NumberField.vue";
import PressButton from "@/controls/PressButton.vue";
import TextField from "@/controls/TextField.vue";

interface Defaults {
  raster: { width: number; height: number };
  timing: Record<string, unknown> & { rate: string };
  naming: string;
}
const props = defineProps<{
  action: string;
  problems: Record<string, string>;
  failure: string;
  start?: { code: string; title: string; defaults: Record<string, unknown> } | undefined;
}>();
const emit = defineEmits<{ submit: [body: Schemas["ProjectIn"]]; cancel: [] }>();
const offers = useOffers();
const from = (props.start?.defaults ?? offers.value?.defaults) as unknown as Defaults;
const form = reactive({
  code: props.start?.code ?? "",
  title: props.start?.title ?? "",
  raster: { ...from.raster },
  rate: from.timing.rate,
  naming: from.naming,
});
/** Letters of a code that is proposed: file names begin with it. */
const MOST = 6;
// A code is proposed from the title until one is typed: initials, or how a single word begins.
const typed = ref(Boolean(props.start?.code));
function setTitle(title: string) {
  form.title = title;
  if (typed.value) return;
  const parts = title
    .normalize("NFKD")
    .split(/\s+/)
    .map((word) => word.replace(/[^A-Za-z0-9]/g, ""))
    .filter(Boolean);
  // A number at its end would run into that of a shot.
  const named = parts.filter((word) => /^[A-Za-z]/.test(word));
  const words = named.length ? named : parts;
  const code = words.length > 1 ? words.map((word) => word[0]).join("") : (words[0] ?? "").slice(0, 3);
  form.code = code.slice(0, MOST).toUpperCase();
}
function setCode(code: string) {
  form.code = code;
  typed.value = code !== "";
}
const rates = computed(() =>
  (offers.value?.rates ?? []).map((one) => ({ name: one.name, title: one.name, note: one.value.toFixed(3) })),
);

function submit() {
  const defaults = { raster: form.raster, timing: { ...from.timing, rate: form.rate }, naming: form.naming };
  emit("submit", {
    code: form.code.trim(),
    title: form.title.trim(),
    defaults: defaults as unknown as Record<string, never>,
  });
}
</script>

<template>
  <form class="grid grid-cols-2 gap-x-6 gap-y-3 border border-rule bg-sheet p-4" @submit.prevent="submit">
    <TextField first label="Title" :model-value="form.title" :error="problems.title" @update="setTitle" />
    <TextField label="Code, for file names" :model-value="form.code" :error="problems.project" @update="setCode" />
    <div class="grid gap-2">
      <NumberField
        label="Width"
        unit="px"
        whole
        :model-value="form.raster.width"
        :error="problems['raster.width'] ?? problems.raster"
        @commit="form.raster.width = $event"
        @update="form.raster.width = $event"
      />
      <NumberField
        label="Height"
        unit="px"
        whole
        :model-value="form.raster.height"
        :error="problems['raster.height']"
        @commit="form.raster.height = $event"
        @update="form.raster.height = $event"
      />
    </div>
    <ListField
      label="Frames a second"
      :model-value="form.rate"
      :options="rates"
      :error="problems['timing.rate']"
      @commit="form.rate = $event"
    />
    <TextField
      class="col-span-2"
      label="File-name rule"
      :model-value="form.naming"
      :error="problems.naming"
      @update="form.naming = $event"
    />
    <p v-if="failure && !Object.keys(problems).length" class="col-span-2 text-now" role="alert">✕ {{ failure }}</p>
    <div class="col-span-2 flex justify-end gap-2">
      <PressButton quiet @click="emit('cancel')">Cancel</PressButton>
      <PressButton type="submit" primary>{{ action }}</PressButton>
    </div>
  </form>
</template>
