<script setup lang="ts">
import { Listbox, ListboxButton, ListboxLabel, ListboxOption, ListboxOptions } from "@headlessui/vue";
import { computed } from "vue";

const props = defineProps<{
  label: string;
  modelValue: string;
  options: { name: string; title: string; note?: string }[];
  error?: string | undefined;
}>();
const emit = defineEmits<{ commit: [value: string] }>();
const chosen = computed(() => props.options.find((one) => one.name === props.modelValue));
</script>

<template>
  <Listbox as="div" class="relative" :model-value="modelValue" @update:model-value="emit('commit', $event as string)">
    <ListboxLabel class="mb-0.5 block text-soft">{{ label }}</ListboxLabel>
    <ListboxButton
      class="flex w-full items-baseline justify-between gap-2 rounded-sm border border-rule bg-sheet px-1.5 py-1 text-left"
    >
      <span class="truncate">{{ chosen?.title ?? modelValue }}</span>
      <span aria-hidden="true" class="text-2xs text-soft">▾</span>
    </ListboxButton>
    <ListboxOptions
      class="absolute z-20 mt-0.5 max-h-72 w-full overflow-auto rounded-sm border border-rule bg-sheet py-1 shadow-lg"
    >
      <ListboxOption
        v-for="option in options"
        :key="option.name"
        v-slot="{ active, selected }"
        :value="option.name"
        as="template"
      >
        <li class="flex cursor-pointer items-baseline justify-between gap-2 px-2 py-1" :class="{ 'bg-select': active }">
          <span :class="{ 'font-semibold': selected }">{{ selected ? "✓ " : "" }}{{ option.title }}</span>
          <span v-if="option.note" class="truncate text-2xs text-soft">{{ option.note }}</span>
        </li>
      </ListboxOption>
    </ListboxOptions>
    <p v-if="error" class="mt-0.5 text-xs text-now" role="alert">✕ {{ error }}</p>
  </Listbox>
</template>
