<script setup lang="ts">
import NumberField from "./NumberField.vue";

const props = defineProps<{
  label: string;
  modelValue: number[];
  unit?: string;
  step?: number;
  initial?: number[] | undefined;
  error?: string | undefined;
}>();
const emit = defineEmits<{ update: [value: number[]]; commit: [value: number[]] }>();
const names = ["x", "y", "z"];

function changed(at: number, value: number) {
  return props.modelValue.map((one, index) => (index === at ? value : one));
}
</script>

<template>
  <fieldset>
    <legend
      class="mb-0.5 text-soft"
      :class="{ 'font-semibold text-ink!': initial && initial.some((one, at) => one !== modelValue[at]) }"
    >
      {{ label }}<span v-if="unit" class="text-2xs"> in {{ unit }}</span>
    </legend>
    <div class="flex gap-2">
      <NumberField
        v-for="(value, at) in modelValue"
        :key="at"
        class="flex-1"
        compact
        :label="names[at] ?? ''"
        :model-value="value"
        :step="step ?? 1"
        :initial="initial?.[at]"
        @update="emit('update', changed(at, $event))"
        @commit="emit('commit', changed(at, $event))"
      />
    </div>
    <p v-if="error" class="mt-0.5 text-xs text-now" role="alert">✕ {{ error }}</p>
  </fieldset>
</template>
