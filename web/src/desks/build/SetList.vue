<script setup lang="ts">
import { Copy, Eye, EyeOff, Plus, Trash2 } from "@lucide/vue";
import { computed } from "vue";

import { useOffers } from "@/api/offers";
import PressButton from "@/controls/PressButton.vue";
import type { Element } from "@/shot/document";
import { useShot } from "@/shot/store";

const props = defineProps<{ selected: string }>();
const emit = defineEmits<{ select: [path: string] }>();
const shot = useShot();
const offers = useOffers();
const elements = computed(() => shot.draft?.elements);
const lights = computed(() => shot.draft?.lights ?? []);
const raster = computed(() => shot.draft?.raster);
const others = computed(() => [
  ...lights.value.map((light, at) => ({
    path: `lights.${at}`,
    name: light.name,
    note: light.on ? (light.kind === "sun" ? "light" : "light from all sides") : "off",
  })),
  { path: "environment", name: "Environment", note: "mirrors and lights" },
  { path: "camera", name: "Camera", note: "" },
  { path: "raster", name: "Raster and names", note: `${raster.value?.width} × ${raster.value?.height}` },
]);
const at = computed(() => (props.selected.startsWith("elements.") ? Number(props.selected.split(".")[1]) : -1));

function freeId(stem: string) {
  let number = 1;
  while (shot.draft?.elements.some((one) => one.id === `${stem}-${number}`)) number += 1;
  return `${stem}-${number}`;
}
function insert(element: Element, what: string) {
  const elements = [...(shot.draft?.elements ?? []), element];
  shot.edit("elements", elements, true, what);
  emit("select", `elements.${elements.length - 1}`);
}
function add(kind: { name: string; title: string; default: Record<string, unknown> }) {
  const id = freeId(kind.name);
  insert({ ...(kind.default as unknown as Element), id, name: kind.title }, `Add ${kind.title.toLowerCase()}`);
}
function copy() {
  const element = shot.draft?.elements[at.value];
  if (element)
    insert({ ...element, id: freeId(element.kind), name: `${element.name} copy` }, `Duplicate ${element.name}`);
}
function remove() {
  const elements = shot.draft?.elements ?? [];
  const element = elements[at.value];
  if (!element) return;
  shot.edit(
    "elements",
    elements.filter((one) => one !== element),
    true,
    `Delete ${element.name}`,
  );
  emit("select", elements.length > 1 ? "elements.0" : "camera");
}
function toggle(index: number, element: Element) {
  shot.edit(
    `elements.${index}.shown`,
    !element.shown,
    true,
    element.shown ? `Hide ${element.name}` : `Show ${element.name}`,
  );
}
</script>

<template>
  <section class="px-3 py-2">
    <div class="mb-1 flex items-center justify-between">
      <h2 class="font-title text-lg">The set</h2>
      <span class="flex">
        <PressButton
          v-for="kind in offers?.element_kinds"
          :key="kind.name"
          quiet
          :title="`Add ${kind.title.toLowerCase()}`"
          @click="add(kind)"
          ><Plus :size="14" aria-hidden="true" /> {{ kind.title }}</PressButton
        >
      </span>
    </div>
    <p v-if="!elements?.length" class="pb-2 text-soft">Nothing is in the set yet. Add a word to begin.</p>
    <ul>
      <li
        v-for="(element, index) in elements"
        :key="element.id"
        class="flex items-center border-b border-line"
        :class="{ 'bg-select text-select-ink': selected === `elements.${index}` }"
      >
        <button
          type="button"
          class="min-w-0 flex-1 truncate px-1.5 py-1 text-left"
          :aria-pressed="selected === `elements.${index}`"
          @click="emit('select', `elements.${index}`)"
        >
          {{ element.name }}
        </button>
        <template v-if="selected === `elements.${index}`">
          <button type="button" class="p-1" :aria-label="`Duplicate ${element.name}`" title="Duplicate" @click="copy">
            <Copy :size="14" aria-hidden="true" />
          </button>
          <button
            type="button"
            class="p-1"
            :aria-label="`Delete ${element.name}`"
            title="Delete (undo brings it back)"
            @click="remove"
          >
            <Trash2 :size="14" aria-hidden="true" />
          </button>
        </template>
        <button
          type="button"
          class="p-1"
          :aria-label="`${element.name} in the picture`"
          :aria-pressed="element.shown"
          :title="element.shown ? 'In the picture and in the files' : 'Neither in the picture nor in the files'"
          @click="toggle(index, element)"
        >
          <Eye v-if="element.shown" :size="14" aria-hidden="true" /><EyeOff v-else :size="14" aria-hidden="true" />
        </button>
      </li>
      <li
        v-for="item in others"
        :key="item.path"
        class="border-b border-line"
        :class="{ 'bg-select text-select-ink': selected === item.path }"
      >
        <button
          type="button"
          class="flex w-full justify-between gap-2 px-1.5 py-1 text-left"
          :aria-pressed="selected === item.path"
          @click="emit('select', item.path)"
        >
          <span>{{ item.name }}</span><span class="truncate" :class="selected === item.path ? '' : 'text-soft'">{{
            item.note
          }}</span>
        </button>
      </li>
    </ul>
  </section>
</template>
