<script setup lang="ts">
withDefaults(defineProps<{ primary?: boolean; quiet?: boolean; disabled?: boolean; type?: "button" | "submit" }>(), {
  primary: false,
  quiet: false,
  disabled: false,
  type: "button",
});
</script>

<template>
  <button
    :type
    :disabled
    class="inline-flex items-center justify-center gap-1.5 rounded-sm px-2.5 py-1 font-medium whitespace-nowrap disabled:opacity-60"
    :class="
      primary
        ? 'bg-now text-white enabled:hover:bg-now-deep'
        : quiet
          ? 'text-soft enabled:hover:bg-select enabled:hover:text-ink'
          : 'border border-rule bg-sheet text-ink enabled:hover:bg-select'
    "
  >
    <slot />
  </button>
</template>
