<script setup lang="ts">
/** Which vector drawing an emblem shows, and what of it could not become outlines. */
import { computed } from "vue";

import { type DrawingFacts, type LibraryFile, useLibrary } from "@/api/library";
import { useOffers } from "@/api/offers";
import { useShot } from "@/shot/store";

import AssetField from "./AssetField.vue";

const props = defineProps<{ modelValue: string; error?: string | undefined; dropped: File | null }>();
const emit = defineEmits<{ commit: [value: string]; taken: [] }>();
const shot = useShot();
const offers = useOffers();
const project = computed(() => shot.meta?.project_id ?? 0);
const library = useLibrary("drawings", project);

const shipped = computed(() =>
  (offers.value?.drawings ?? []).map((one) => ({ name: one.key, title: one.title, note: one.character })),
);
const facts = computed(
  () =>
    (library.all().find((one) => one.key === props.modelValue)?.facts ??
      offers.value?.drawings.find((one) => one.key === props.modelValue)?.facts) as DrawingFacts | undefined,
);
function describe(file: LibraryFile) {
  const { colours, width, height } = file.facts as unknown as DrawingFacts;
  const many = colours.length === 1 ? "1 colour" : `${colours.length} colours`;
  return { title: file.title, note: `${many}, ${Math.round(width)} × ${Math.round(height)}` };
}
</script>

<template>
  <div>
    <AssetField
      label="Drawing"
      folder="files/drawings"
      accept=".svg,image/svg+xml"
      invitation="Bring an SVG, or drop it here"
      :model-value
      :error
      :dropped
      :list="library.load"
      :describe
      :shipped
      @commit="emit('commit', $event)"
      @brought="library.add($event)"
      @taken="emit('taken')"
    />
    <div v-if="facts?.notes.length" class="mt-1 border-l-2 border-now pl-2">
      <p>Left out of this drawing:</p>
      <ul class="list-disc pl-4 text-soft">
        <li v-for="note in facts.notes" :key="note">{{ note }}</li>
      </ul>
    </div>
  </div>
</template>
