<script setup lang="ts">
import { onMounted, ref, useId, watch } from "vue";

const props = withDefaults(
  defineProps<{
    label: string;
    modelValue: string;
    lines?: boolean;
    large?: boolean;
    error?: string | undefined;
    type?: string;
    autocomplete?: string;
    /** It has the keyboard as soon as it is there. */
    first?: boolean;
  }>(),
  { lines: false, large: false, error: undefined, type: "text", autocomplete: "off", first: false },
);
const emit = defineEmits<{ update: [value: string]; commit: [value: string] }>();
const id = useId();
const field = ref<HTMLInputElement | HTMLTextAreaElement>();
onMounted(() => {
  if (props.first) {
    field.value?.focus();
    field.value?.select();
  }
});
const text = ref(props.modelValue);
let before = props.modelValue;
watch(
  () => props.modelValue,
  (value) => (text.value = value),
);

function accept() {
  if (text.value !== before) {
    before = text.value;
    emit("commit", text.value);
  }
}
function restore() {
  text.value = before;
  emit("update", before);
}
</script>

<template>
  <div>
    <label :for="id" class="mb-0.5 block text-soft">{{ label }}</label>
    <component
      :is="lines ? 'textarea' : 'input'"
      :id="id"
      ref="field"
      :value="text"
      :type="lines ? undefined : type"
      :rows="lines ? 3 : undefined"
      class="w-full rounded-sm border border-rule bg-sheet px-1.5 py-1"
      :class="{ 'border-now!': error, 'text-base leading-tight': large }"
      spellcheck="false"
      :autocomplete="autocomplete"
      :aria-invalid="!!error"
      :aria-describedby="error ? `${id}-error` : undefined"
      @focus="before = text"
      @input="
        text = ($event.target as HTMLInputElement).value;
        emit('update', text);
      "
      @change="accept"
      @keydown.esc.stop="restore"
    />
    <p v-if="error" :id="`${id}-error`" class="mt-0.5 text-xs text-now" role="alert">✕ {{ error }}</p>
  </div>
</template>
