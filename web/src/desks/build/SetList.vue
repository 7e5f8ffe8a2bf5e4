<script setup lang="ts">
import { Eye, EyeOff } from "@lucide/vue";
import { computed } from "vue";

import { useOffers } from "@/api/offers";
import AddMenu from "@/controls/AddMenu.vue";
import type { Element, Triple } from "@/shot/document";
import { useShot } from "@/shot/store";

import SetRow from "./SetRow.vue";

const props = defineProps<{ selected: string }>();
const emit = defineEmits<{ select: [path: string] }>();
const shot = useShot();
const offers = useOffers();
const elements = computed(() => shot.draft?.elements);
const kinds = computed(() => [{ title: "", items: offers.value?.element_kinds ?? [] }]);
const at = computed(() => (props.selected.startsWith("elements.") ? Number(props.selected.split(".")[1]) : -1));

function freeId(stem: string) {
  let number = 1;
  while (shot.draft?.elements.some((one) => one.id === `${stem}-${number}`)) number += 1;
  return `${stem}-${number}`;
}
/** Where nothing else has its pivot: beside and below what stands there, or the new element would not be seen. */
function beside(element: Element): Element {
  const taken = new Set(shot.draft?.elements.map((one) => placeOf(one).position.join()));
  const placement = placeOf(element);
  let [x, y, z] = placement.position;
  while (taken.has([x, y, z].join())) [x, y, z] = [x + 40, y - 120, z + 40];
  return { ...element, placement: { ...placement, position: [x, y, z] } };
}
function placeOf(element: Element) {
  return element.placement as { position: Triple };
}
function insert(added: Element, what: string) {
  const element = beside(added);
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
      <AddMenu label="Add element" :groups="kinds" @pick="add" />
    </div>
    <p v-if="!elements?.length" class="pb-2 text-soft">Nothing is in the set yet. Add a word to begin.</p>
    <ul>
      <SetRow
        v-for="(element, index) in elements"
        :key="element.id"
        :name="element.name"
        :selected="selected === `elements.${index}`"
        editable
        @select="emit('select', `elements.${index}`)"
        @copy="copy"
        @remove="remove"
      >
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
      </SetRow>
    </ul>
  </section>
</template>
