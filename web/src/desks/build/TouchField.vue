<script setup lang="ts">
/** Which elements a light lights: none ticked is all of them. */
import { computed } from "vue";

import { useShot } from "@/shot/store";

const props = defineProps<{
  label: string;
  modelValue: string[];
  help?: string | undefined;
  error?: string | undefined;
}>();
const emit = defineEmits<{ commit: [value: string[]] }>();
const shot = useShot();
const elements = computed(() => shot.draft?.elements ?? []);

function toggle(id: string) {
  // Elements that are gone drop out at the next change.
  const there = props.modelValue.filter((one) => elements.value.some((element) => element.id === one));
  emit("commit", there.includes(id) ? there.filter((one) => one !== id) : [...there, id]);
}
</script>

<template>
  <fieldset>
    <legend class="text-soft" :title="help">{{ label }}</legend>
    <p v-if="!elements.length" class="text-soft">There is no element yet.</p>
    <label v-for="element in elements" :key="element.id" class="flex items-center gap-1.5 py-0.5">
      <input
        type="checkbox"
        class="accent-select-ink"
        :checked="modelValue.includes(element.id)"
        @change="toggle(element.id)"
      />
      <span class="truncate">{{ element.name }}</span>
    </label>
    <p class="text-soft">{{ modelValue.length ? "The others stay dark under it." : help }}</p>
    <p v-if="error" class="text-now" role="alert">✕ {{ error }}</p>
  </fieldset>
</template>
