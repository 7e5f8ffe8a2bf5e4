<script setup lang="ts">
/** Parts of a file, each there or not. */
import { Eye, EyeOff } from "@lucide/vue";
import { computed, ref } from "vue";

import { useLibrary } from "@/api/library";
import { useShot } from "@/shot/store";

const props = defineProps<{
  label: string;
  kind: string;
  file: string;
  modelValue: string[];
  error?: string | undefined;
}>();
const emit = defineEmits<{ commit: [value: string[], what: string] }>();
const shot = useShot();
const project = computed(() => shot.meta?.project_id ?? 0);
const library = useLibrary(props.kind, project);
const wanted = ref("");
/** With more, a field finds those whose name has some letters. */
const MANY = 12;
const parts = computed(() => {
  const here = library.factsOf(props.file)?.parts ?? [];
  return [...here, ...props.modelValue.filter((one) => !here.includes(one))];
});
const found = computed(() => parts.value.filter((one) => one.toLowerCase().includes(wanted.value.toLowerCase())));
function toggle(part: string) {
  const hidden = props.modelValue.includes(part);
  const rest = props.modelValue.filter((one) => one !== part);
  emit("commit", hidden ? rest : [...rest, part], hidden ? `Show ${part}` : `Hide ${part}`);
}
</script>

<template>
  <fieldset class="grid gap-1">
    <legend class="sr-only">{{ label }}</legend>
    <input
      v-if="parts.length > MANY"
      v-model="wanted"
      type="search"
      class="rounded-sm border border-rule bg-sheet px-1.5 py-1"
      placeholder="Find a part"
      aria-label="Find a part"
    />
    <ul class="max-h-64 overflow-y-auto">
      <li v-for="part in found" :key="part" class="flex items-center justify-between gap-2">
        <span class="truncate" :class="{ 'text-soft': modelValue.includes(part) }" :title="part">{{ part }}</span>
        <button
          type="button"
          class="p-1"
          :aria-label="`${part} is there`"
          :aria-pressed="!modelValue.includes(part)"
          @click="toggle(part)"
        >
          <EyeOff v-if="modelValue.includes(part)" :size="14" aria-hidden="true" />
          <Eye v-else :size="14" aria-hidden="true" />
        </button>
      </li>
    </ul>
    <p v-if="!found.length" class="text-soft">
      {{ parts.length ? "No part is called like that." : "It is one part." }}
    </p>
    <p v-if="error" class="text-now" role="alert">✕ {{ error }}</p>
  </fieldset>
</template>
