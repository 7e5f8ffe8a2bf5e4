<script setup lang="ts">
import { ref, useId, watch } from "vue";

const props = defineProps<{
  label: string;
  modelValue: string;
  initial?: string | undefined;
  error?: string | undefined;
}>();
const emit = defineEmits<{ update: [value: string]; commit: [value: string] }>();
const id = useId();
const text = ref(props.modelValue);
const reason = ref("");
watch(
  () => props.modelValue,
  (value) => (text.value = value),
);

function accept() {
  const value = text.value.trim().toLowerCase();
  const full = /^#?[0-9a-f]{6}$/.test(value) ? `#${value.replace("#", "")}` : null;
  reason.value = full ? "" : `“${text.value}” is not a colour; write it as #rrggbb`;
  if (full && full !== props.modelValue) emit("commit", full);
}
function restore() {
  text.value = props.modelValue;
  reason.value = "";
}
function picked(event: Event) {
  return (event.target as HTMLInputElement).value;
}
</script>

<template>
  <div>
    <div class="flex items-center gap-1.5">
      <label
        :for="id"
        class="min-w-0 flex-1 truncate text-soft"
        :class="{ 'font-semibold text-ink!': initial !== undefined && initial !== modelValue }"
        @dblclick="initial !== undefined && emit('commit', initial)"
        >{{ label }}</label
      >
      <input
        type="color"
        class="h-5.5 w-7 cursor-pointer rounded-sm border border-rule bg-sheet p-px"
        :aria-label="`${label}, choose`"
        :value="modelValue"
        @input="emit('update', picked($event))"
        @change="emit('commit', picked($event))"
      />
      <input
        :id="id"
        v-model="text"
        class="w-20 rounded-sm border border-rule bg-sheet px-1.5 py-0.5"
        spellcheck="false"
        autocomplete="off"
        :aria-invalid="!!(reason || error)"
        @blur="accept"
        @keydown.enter="accept"
        @keydown.esc.stop="restore"
      />
    </div>
    <p v-if="reason || error" class="mt-0.5 text-xs text-now" role="alert">✕ {{ reason || error }}</p>
  </div>
</template>
