<script setup lang="ts">
defineProps<{ text: string }>();
const emit = defineEmits<{ undo: []; close: [] }>();
</script>

<template>
  <div
    class="fixed bottom-5 left-1/2 flex -translate-x-1/2 items-center gap-4 rounded-sm bg-ink px-4 py-2 text-white shadow-lg"
    role="status"
  >
    <span>{{ text }}</span>
    <button type="button" class="font-semibold underline underline-offset-2" @click="emit('undo')">Undo</button>
    <button type="button" aria-label="Close this note" @click="emit('close')">✕</button>
  </div>
</template>
