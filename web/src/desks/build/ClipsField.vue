<script setup lang="ts">
/** Clips of a model on the sheet: each begins at a frame and lies over those before it. */
import { X } from "@lucide/vue";
import { computed } from "vue";

import type { JsonSchema } from "@/api/offers";
import { resolveRef } from "@/controls/fields";
import ListField from "@/controls/ListField.vue";
import PressButton from "@/controls/PressButton.vue";
import SchemaForm from "@/controls/SchemaForm.vue";
import { useShot } from "@/shot/store";

import { atRest } from "./limbs";

interface Placed {
  clip: string;
  start: number;
  [key: string]: unknown;
}
const props = defineProps<{
  schema: JsonSchema;
  root: JsonSchema;
  modelValue: Placed[];
  path: string;
  clips: { name: string; seconds: number }[];
  error?: string | undefined;
}>();
const shot = useShot();
const item = computed(() => resolveRef(props.schema.items ?? {}, props.root));
const rate = computed(() => {
  const [over = "24", under = "1"] = (shot.draft?.timing.rate ?? "24").split("/");
  return Number(over) / Number(under);
});
const options = computed(() =>
  props.clips.map((one) => ({
    name: one.name,
    title: one.name,
    note: `${Math.round(one.seconds * rate.value * 10) / 10} frames`,
  })),
);
function add() {
  const first = props.clips[0];
  if (!first) return;
  const next = { ...atRest(item.value), clip: first.name, start: shot.frame } as Placed;
  shot.edit(props.path, [...props.modelValue, next], true, `Place the clip ${first.name}`);
}
function remove(at: number) {
  const rest = props.modelValue.filter((_, index) => index !== at);
  shot.edit(props.path, rest, true, `Take ${props.modelValue[at]?.clip ?? "a clip"} off the sheet`);
}
</script>

<template>
  <div v-if="clips.length || modelValue.length" class="grid gap-3">
    <fieldset v-for="(one, at) in modelValue" :key="at" class="grid gap-1.5 border-l-2 border-line pl-2">
      <legend class="flex w-full items-center gap-1.5 font-semibold">
        <span class="min-w-0 flex-1 truncate">{{ one.clip }} from frame {{ one.start }}</span>
        <button
          type="button"
          class="p-0.5"
          :aria-label="`Take ${one.clip} at ${one.start} off the sheet`"
          @click="remove(at)"
        >
          <X :size="14" aria-hidden="true" />
        </button>
      </legend>
      <ListField
        label="Clip"
        :model-value="one.clip"
        :options
        :error="shot.problems[`${path}.${at}.clip`]"
        @commit="shot.edit(`${path}.${at}.clip`, $event, true, 'Another clip')"
      />
      <SchemaForm
        :schema="item"
        :root
        :value="one"
        :path="`${path}.${at}`"
        :problems="shot.problems"
        :skip="['clip']"
        :sections="false"
        @update="(to, inner) => shot.edit(to, inner, false)"
        @commit="(to, inner, what) => shot.edit(to, inner, true, `${one.clip} ${what.toLowerCase()}`)"
      />
    </fieldset>
    <PressButton class="justify-self-start" :disabled="!clips.length" @click="add">
      {{ modelValue.length ? "Place another clip" : "Place clips on the sheet" }}
    </PressButton>
    <p v-if="error" class="text-now" role="alert">✕ {{ error }}</p>
  </div>
</template>
