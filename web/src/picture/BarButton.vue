<script setup lang="ts">
/** A small button of the bar under the picture: a sign, and its name for those who ask. */
defineProps<{ label: string; hint: string; pressed?: boolean }>();
</script>

<template>
  <button
    type="button"
    class="rounded-sm p-1"
    :class="pressed ? 'bg-select text-select-ink' : 'text-soft hover:bg-select hover:text-ink'"
    :aria-label="label"
    :aria-pressed="pressed"
    :title="hint"
  >
    <slot />
  </button>
</template>
