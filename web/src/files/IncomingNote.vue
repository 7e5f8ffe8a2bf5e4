<script setup lang="ts">
/** What becomes of files that were dropped on a desk, over its lower edge. */
import { computed } from "vue";

import BringingState from "./BringingState.vue";
import type { useBringing } from "./useBringing";

const props = defineProps<{ bringing: ReturnType<typeof useBringing> }>();
const over = computed(() => !props.bringing.sending.value);
const there = computed(
  () => !over.value || props.bringing.said.value.length > 0 || props.bringing.failures.value.length > 0,
);
</script>

<template>
  <div
    v-if="there"
    class="fixed bottom-14 left-1/2 z-20 flex max-w-[34rem] -translate-x-1/2 items-start gap-4 rounded-sm border border-rule bg-sheet px-4 py-2 shadow-lg"
  >
    <div class="min-w-0"><BringingState :bringing /></div>
    <button v-if="over" type="button" aria-label="Close this note" @click="bringing.clear()">✕</button>
  </div>
</template>
