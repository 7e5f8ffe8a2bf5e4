<script setup lang="ts">
/** A line of the set's list: select it, and for things that can be: duplicate, delete, switch on or off. */
import { Copy, Trash2 } from "@lucide/vue";

import { nextTick, ref, useTemplateRef } from "vue";

const props = defineProps<{
  name: string;
  note?: string;
  selected: boolean;
  editable?: boolean;
  faded?: boolean;
  /** It can be called something else here: by a double click on its name, or F2. */
  renames?: boolean;
}>();
const emit = defineEmits<{ select: [event: MouseEvent]; copy: []; remove: []; rename: [name: string] }>();
const typed = ref<string | null>(null);
const field = useTemplateRef("field");
async function begin() {
  if (!props.renames) return;
  typed.value = props.name;
  await nextTick();
  field.value?.select();
}
function end(keep: boolean) {
  const name = typed.value?.trim();
  typed.value = null;
  if (keep && name && name !== props.name) emit("rename", name.slice(0, 120));
}
</script>

<template>
  <li class="flex items-center border-b border-line" :class="{ 'bg-select text-select-ink': selected }">
    <input
      v-if="typed !== null"
      ref="field"
      v-model="typed"
      class="min-w-0 flex-1 border border-rule bg-sheet px-1 py-0.5 text-ink"
      :aria-label="`New name of ${name}`"
      @blur="end(true)"
      @keydown.enter="end(true)"
      @keydown.esc="end(false)"
    />
    <button
      v-else
      type="button"
      class="flex min-w-0 flex-1 justify-between gap-2 px-1.5 py-1 text-left"
      :class="{ 'text-soft': faded && !selected }"
      :aria-pressed="selected"
      @click="emit('select', $event)"
      @dblclick="begin"
      @keydown.f2="begin"
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
