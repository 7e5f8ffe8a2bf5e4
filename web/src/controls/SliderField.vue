<script setup lang="ts">
import NumberField from "./NumberField.vue";

defineProps<{
  label: string;
  modelValue: number;
  range: [number, number];
  unit?: string;
  step?: number;
  min?: number;
  max?: number;
  whole?: boolean;
  initial?: number | undefined;
  error?: string | undefined;
}>();
const emit = defineEmits<{ update: [value: number]; commit: [value: number] }>();

function value(event: Event) {
  return Number((event.target as HTMLInputElement).value);
}
</script>

<template>
  <div>
    <NumberField
      :label
      :model-value
      :unit
      :step
      :min
      :max
      :whole
      :initial
      :error
      @update="emit('update', $event)"
      @commit="emit('commit', $event)"
    />
    <input
      type="range"
      class="slider mt-0.5 w-full"
      :aria-label="`${label}, slider`"
      :min="range[0]"
      :max="range[1]"
      :step="step ?? 1"
      :value="modelValue"
      @input="emit('update', value($event))"
      @change="emit('commit', value($event))"
    />
  </div>
</template>

<style scoped>
.slider {
  appearance: none;
  height: 12px;
  background: linear-gradient(var(--color-rule), var(--color-rule)) center / 100% 1px no-repeat;
}
.slider::-webkit-slider-thumb {
  appearance: none;
  width: 7px;
  height: 12px;
  background: var(--color-ink);
  border-radius: 1px;
}
.slider::-moz-range-thumb {
  width: 7px;
  height: 12px;
  background: var(--color-ink);
  border: 0;
  border-radius: 1px;
}
</style>
