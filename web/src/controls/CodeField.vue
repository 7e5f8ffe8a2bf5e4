<script setup lang="ts">
import { ref, watch } from "vue";

/** A quiet field for a short word in a list. What is being typed stays, whatever arrives meanwhile. */
const props = defineProps<{ modelValue: string; label: string; title: string }>();
const emit = defineEmits<{ commit: [value: string] }>();
const text = ref(props.modelValue);
let typing = false;
watch(
  () => props.modelValue,
  (value) => {
    if (!typing) text.value = value;
  },
);

function type(event: Event) {
  typing = true;
  text.value = (event.target as HTMLInputElement).value;
}
function accept() {
  typing = false;
  const typed = text.value.trim();
  // Without a word of its own it has the usual one.
  text.value = typed || props.modelValue;
  emit("commit", typed);
}
function restore() {
  typing = false;
  text.value = props.modelValue;
}
</script>

<template>
  <input
    type="text"
    class="condensed w-24 rounded-sm border border-transparent bg-transparent px-1 text-right text-xs text-soft hover:border-rule focus:border-rule focus:bg-sheet"
    :value="text"
    spellcheck="false"
    :aria-label="label"
    :title="title"
    @input="type"
    @change="accept"
    @blur="typing = false"
    @keydown.esc.stop="restore"
  />
</template>
