<script setup lang="ts">
/** The finish of a whole element: one for all its parts, or (only if wanted) one for each. */
import { computed, ref } from "vue";

import type { JsonSchema } from "@/api/offers";
import { useShot } from "@/shot/store";

import FinishField from "./FinishField.vue";
import type { FinishValues } from "./finishes";

const props = defineProps<{
  path: string;
  parts: { name: string; title: string; schema: JsonSchema }[];
  root: JsonSchema;
  value: Record<string, unknown>;
  /** Paths of other elements that get the same finish. */
  others?: string[];
}>();
const shot = useShot();
const paths = computed(() => props.parts.map((part) => `${props.path}.${part.name}`));
const alike = computed(() => {
  const [first, ...others] = props.parts.map((part) => JSON.stringify(props.value[part.name]));
  return others.every((one) => one === first);
});
const everywhere = computed(() =>
  (props.others ?? []).flatMap((path) => props.parts.map((part) => `${path}.${part.name}`)),
);
const wanted = ref(false);
const apart = computed(() => wanted.value || !alike.value);
const first = computed(() => props.parts[0] ?? { name: "", title: "", schema: {} });

function unite() {
  wanted.value = false;
  if (alike.value) return;
  const own = props.value[first.value.name];
  const edits = paths.value.slice(1).map((path) => [path, own]);
  shot.editMany(Object.fromEntries(edits), `One finish, that of the ${first.value.title.toLowerCase()}`);
}
</script>

<template>
  <template v-if="apart">
    <button type="button" class="justify-self-start text-select-ink underline underline-offset-2" @click="unite">
      One finish for the whole element
    </button>
    <FinishField
      v-for="part in parts"
      :key="part.name"
      :label="part.title"
      :schema="part.schema"
      :root
      :value="value[part.name] as FinishValues"
      :path="`${path}.${part.name}`"
    />
  </template>
  <template v-else>
    <FinishField
      :label="parts.length > 1 ? 'Whole element' : first.title"
      :schema="first.schema"
      :root
      :value="value[first.name] as FinishValues"
      :path="`${path}.${first.name}`"
      :also="[...paths.slice(1), ...everywhere]"
    />
    <button
      v-if="parts.length > 1"
      type="button"
      class="justify-self-start text-select-ink underline underline-offset-2"
      @click="wanted = true"
    >
      A finish for each part ({{ parts.map((part) => part.title.toLowerCase()).join(", ") }}) …
    </button>
  </template>
</template>
