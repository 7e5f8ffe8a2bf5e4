<script setup lang="ts">
/** How much of something is done. */
defineProps<{
  label: string;
  /** 0 to 1. */
  share: number;
  state: "under way" | "at rest" | "done" | "failed";
}>();
const COLOURS = { "under way": "bg-now", "at rest": "bg-soft", done: "bg-done", failed: "bg-warn" };
</script>

<template>
  <div
    class="h-2 border border-rule bg-sheet"
    role="progressbar"
    :aria-label="label"
    :aria-valuenow="Math.floor(100 * Math.min(share, 1))"
    aria-valuemin="0"
    aria-valuemax="100"
  >
    <div class="h-full transition-[width]" :class="COLOURS[state]" :style="{ width: `${100 * Math.min(share, 1)}%` }" />
  </div>
</template>
