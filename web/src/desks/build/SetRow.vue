<script setup lang="ts">
/** A line of the set's list: select it, and for things that can be: duplicate, delete, switch on or off. */
import { Copy, Trash2 } from "@lucide/vue";

defineProps<{ name: string; note?: string; selected: boolean; editable?: boolean; faded?: boolean }>();
const emit = defineEmits<{ select: []; copy: []; remove: [] }>();
</script>

<template>
  <li class="flex items-center border-b border-line" :class="{ 'bg-select text-select-ink': selected }">
    <button
      type="button"
      class="flex min-w-0 flex-1 justify-between gap-2 px-1.5 py-1 text-left"
      :class="{ 'text-soft': faded && !selected }"
      :aria-pressed="selected"
      @click="emit('select')"
    >
      <span class="truncate">{{ name }}</span>
      <span v-if="note" class="truncate" :class="selected ? '' : 'text-soft'">{{ note }}</span>
    </button>
    <template v-if="selected && editable">
      <button type="button" class="p-1" :aria-label="`Duplicate ${name}`" title="Duplicate" @click="emit('copy')">
        <Copy :size="14" aria-hidden="true" />
      </button>
      <button
        type="button"
        class="p-1"
        :aria-label="`Delete ${name}`"
        title="Delete (undo brings it back)"
        @click="emit('remove')"
      >
        <Trash2 :size="14" aria-hidden="true" />
      </button>
    </template>
    <slot />
  </li>
</template>
