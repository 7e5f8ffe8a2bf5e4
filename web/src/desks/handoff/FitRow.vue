<script setup lang="ts">
/** A form made to fit into so many megabytes: what has to be chosen is found by trying. */
import { onBeforeUnmount, ref } from "vue";

import { api, finished, Problem, type Schemas } from "@/api/client";
import type { Recipe } from "@/api/offers";
import NumberField from "@/controls/NumberField.vue";
import PressButton from "@/controls/PressButton.vue";
import { megabytes } from "@/shot/cellMarks";
import { useRun } from "@/shot/run";
import { useShot } from "@/shot/store";

const props = defineProps<{ recipe: Recipe; form: Schemas["FormIn"]; layers: string[]; frameSet: string }>();
const emit = defineEmits<{ change: [options: Record<string, string>] }>();
const shot = useShot();
const run = useRun();
const most = ref(2);
const busy = ref(false);
const told = ref("");
const failure = ref("");
const TITLES = { quality: "its quality", width: "its size", rate: "its rate" };
const by = ref<Recipe["smaller_by"][number] | "">(props.recipe.smaller_by[0] ?? "");
let asked = 0;
onBeforeUnmount(() => (asked += 1));

async function find() {
  const id = run.run?.id;
  if (!id || !by.value || busy.value) return;
  const number = ++asked;
  busy.value = true;
  told.value = failure.value = "";
  try {
    const found = await finished<Schemas["AimedOut"]>(
      shot.id,
      () =>
        api.POST("/api/runs/{run_id}/aim", {
          params: { path: { run_id: id } },
          body: {
            form: props.form,
            layers: props.layers,
            frame_set: props.frameSet,
            megabytes: most.value,
            by: by.value,
          },
        }),
      () => number === asked,
    );
    if (!found) return;
    emit("change", found.options);
    told.value = found.fits
      ? `✓ Fits: about ${megabytes(found.bytes)}.`
      : `△ Even so it is about ${megabytes(found.bytes)}; make it smaller another way, too.`;
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    failure.value = error.problems[0]?.message ?? error.message;
  } finally {
    if (number === asked) busy.value = false;
  }
}
</script>

<template>
  <div v-if="by" class="col-span-2 grid gap-1 border-t border-line pt-1">
    <p class="text-soft">Make it fit</p>
    <div class="flex flex-wrap items-center gap-2">
      <NumberField
        class="w-[8.5rem]"
        label="Below"
        unit="MB"
        :model-value="most"
        :min="0.0001"
        :max="1000000"
        @commit="most = $event"
      />
      <label class="flex items-baseline gap-1.5 text-soft"
        >by
        <select v-model="by" aria-label="By what" class="rounded-sm border border-rule bg-sheet px-1.5 py-1 text-ink">
          <option v-for="one in recipe.smaller_by" :key="one" :value="one">{{ TITLES[one] }}</option>
        </select></label
      >
      <PressButton :disabled="busy" @click="find">{{ busy ? "Trying …" : "Find" }}</PressButton>
    </div>
    <p v-if="told" role="status" :class="told.startsWith('△') ? 'text-warn' : 'text-done'">{{ told }}</p>
    <p v-if="failure" class="text-now" role="alert">✕ {{ failure }}</p>
  </div>
</template>
