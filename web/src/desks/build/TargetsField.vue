<script setup lang="ts">
/** How much a model has of the shapes of its targets, each with keys if wanted. */
import { computed } from "vue";

import type { JsonSchema } from "@/api/offers";
import { resolveRef } from "@/controls/fields";
import SchemaForm from "@/controls/SchemaForm.vue";
import { useShot } from "@/shot/store";

import { atRest } from "./limbs";

const props = defineProps<{
  schema: JsonSchema;
  root: JsonSchema;
  modelValue: Record<string, Record<string, unknown>>;
  path: string;
  targets: { code: string; name: string }[];
}>();
const shot = useShot();
const item = computed(() => resolveRef(Object.values(props.schema.patternProperties ?? {})[0] ?? {}, props.root));
/** Under its own name. */
function named(name: string): JsonSchema {
  const weight = item.value.properties?.weight ?? {};
  return { ...item.value, properties: { weight: { ...weight, title: name } } };
}
</script>

<template>
  <div v-if="targets.length" class="grid gap-1.5">
    <SchemaForm
      v-for="one in targets"
      :key="one.code"
      :schema="named(one.name)"
      :root
      :value="{ ...atRest(item), ...modelValue[one.code] }"
      :path="`${path}.${one.code}`"
      :problems="shot.problems"
      :sections="false"
      @update="(to, inner) => shot.edit(to, inner, false)"
      @commit="(to, inner) => shot.edit(to, inner, true, one.name)"
    />
  </div>
</template>
