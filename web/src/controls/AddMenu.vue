<script setup lang="ts" generic="T extends { name: string; title: string; note?: string; picture?: string }">
/** A button that opens a list of things to add or choose, in groups; the slot ``button`` stands for its own look. */
import { Menu, MenuButton, MenuItem, MenuItems } from "@headlessui/vue";
import { Plus } from "@lucide/vue";

defineProps<{ label: string; groups: { title: string; items: T[] }[] }>();
const emit = defineEmits<{ pick: [item: T] }>();

/** The list opens over its pane, not in it, and stays inside the window. */
function reveal(inner: unknown) {
  if (!(inner instanceof HTMLElement)) return;
  const margin = 8;
  // Once it stands there and has its size.
  requestAnimationFrame(() => {
    const list = inner.parentElement;
    const button = list?.parentElement?.querySelector("button");
    if (!list || !button) return;
    const at = button.getBoundingClientRect();
    const room = Math.min(window.innerHeight - 2 * margin, 680);
    list.style.maxHeight = `${room}px`;
    const height = Math.min(list.scrollHeight, room);
    list.style.top = `${Math.max(margin, Math.min(at.bottom + 2, window.innerHeight - height - margin))}px`;
    list.style.left = `${Math.max(margin, at.right - list.offsetWidth)}px`;
  });
}
</script>

<template>
  <Menu as="div" class="relative">
    <MenuButton
      v-if="$slots.button"
      class="rounded-sm border border-rule bg-sheet px-1.5 py-0.5 text-left"
      :aria-label="label"
    >
      <slot name="button" />
    </MenuButton>
    <MenuButton
      v-else
      class="inline-flex items-center gap-1.5 rounded-sm px-2.5 py-1 font-medium text-soft hover:bg-select hover:text-ink"
    >
      <Plus :size="14" aria-hidden="true" /> {{ label }}
    </MenuButton>
    <MenuItems
      class="fixed z-30 max-h-96 w-72 overflow-y-auto rounded-sm border border-rule bg-sheet py-1 shadow focus:outline-none"
    >
      <span :ref="reveal" aria-hidden="true" />
      <div v-for="group in groups" :key="group.title" role="group" :aria-label="group.title">
        <p v-if="group.title" class="px-3 pt-1.5 pb-0.5 text-soft" aria-hidden="true">{{ group.title }}</p>
        <MenuItem v-for="item in group.items" :key="item.name" v-slot="{ active }" as="template">
          <button
            type="button"
            class="flex w-full items-center gap-2 px-3 py-1 text-left"
            :class="{ 'bg-select text-select-ink': active }"
            @click="emit('pick', item)"
          >
            <img
              v-if="item.picture"
              :src="item.picture"
              alt=""
              class="h-12 w-[4.5rem] shrink-0 rounded-sm"
              loading="lazy"
            />
            <span>
              <span class="font-medium">{{ item.title }}</span>
              <span v-if="item.note" class="block" :class="active ? '' : 'text-soft'">{{ item.note }}</span>
            </span>
          </button>
        </MenuItem>
      </div>
    </MenuItems>
  </Menu>
</template>
