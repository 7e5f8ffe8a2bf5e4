<script setup lang="ts">
import { RadioGroup, RadioGroupLabel, RadioGroupOption } from "@headlessui/vue";

defineProps<{
  label: string;
  modelValue: string;
  options: { name: string; title: string }[];
  initial?: string | undefined;
  error?: string | undefined;
  /** In a row that says what is chosen: the label is for readers of the screen only. */
  bare?: boolean;
}>();
const emit = defineEmits<{ commit: [value: string] }>();
</script>

<template>
  <RadioGroup :model-value="modelValue" @update:model-value="emit('commit', $event as string)">
    <RadioGroupLabel
      class="mb-0.5 block text-soft"
      :class="{ 'font-semibold text-ink!': initial !== undefined && initial !== modelValue, 'sr-only!': bare }"
      >{{ label }}</RadioGroupLabel
    >
    <div class="flex flex-wrap gap-x-3 gap-y-1" :class="{ 'border-b border-line pb-1': !bare }">
      <RadioGroupOption
        v-for="option in options"
        :key="option.name"
        v-slot="{ checked }"
        :value="option.name"
        as="template"
      >
        <button
          type="button"
          class="border-b-2 px-0.5 pb-0.5"
          :class="
            checked ? 'border-select-ink font-semibold text-select-ink' : 'border-transparent text-soft hover:text-ink'
          "
        >
          {{ option.title }}
        </button>
      </RadioGroupOption>
    </div>
    <p v-if="error" class="mt-0.5 text-xs text-now" role="alert">✕ {{ error }}</p>
  </RadioGroup>
</template>
