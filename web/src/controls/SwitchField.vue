<script setup lang="ts">
import { Switch, SwitchGroup, SwitchLabel } from "@headlessui/vue";

defineProps<{ label: string; modelValue: boolean; help?: string | undefined }>();
const emit = defineEmits<{ commit: [value: boolean] }>();
</script>

<template>
  <SwitchGroup as="div" class="flex items-center justify-between gap-2">
    <SwitchLabel class="text-soft" :title="help">{{ label }}</SwitchLabel>
    <Switch
      :model-value="modelValue"
      class="h-4.5 w-8 shrink-0 rounded-sm border border-rule p-px text-left"
      :class="modelValue ? 'bg-select-ink' : 'bg-sheet'"
      @update:model-value="emit('commit', $event)"
    >
      <span
        class="inline-block size-3.5 rounded-[1px] transition-transform"
        :class="modelValue ? 'translate-x-3.5 bg-sheet' : 'bg-soft'"
      />
    </Switch>
  </SwitchGroup>
</template>
