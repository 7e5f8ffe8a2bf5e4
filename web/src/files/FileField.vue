<script setup lang="ts">
/** Which file of the library an element shows, and what of it is left out. */
import { computed } from "vue";

import { type FileFacts, type LibraryFile, useLibrary } from "@/api/library";
import { useOffers } from "@/api/offers";
import { useShot } from "@/shot/store";

import AssetField from "./AssetField.vue";

const props = defineProps<{
  label: string;
  kind: string;
  modelValue: string;
  error?: string | undefined;
}>();
const emit = defineEmits<{ commit: [value: string] }>();
const shot = useShot();
const offers = useOffers();
const project = computed(() => shot.meta?.project_id ?? 0);
const library = useLibrary(props.kind, project);

const own = computed(() => offers.value?.library[props.kind]);
const shipped = computed(() =>
  (own.value?.shipped ?? []).map((one) => ({ name: one.key, title: one.title, note: one.character })),
);
const invitation = computed(() => {
  const endings = own.value?.suffixes ?? [];
  // More than a line of them tell nobody anything.
  const kinds = endings.length > 6 ? "" : ` (${endings.map((one) => one.slice(1).toUpperCase()).join(", ")})`;
  return own.value?.together
    ? `Bring a file or ${own.value.together}, or drop them or a folder`
    : `Bring your own${kinds}, or drop it here`;
});
const facts = computed(() => library.factsOf(props.modelValue));
function describe(file: LibraryFile) {
  return { title: file.title, note: (file.facts as unknown as FileFacts).summary };
}
</script>

<template>
  <div>
    <AssetField
      :label
      :folder="`files/${kind}`"
      :accept="(own?.suffixes ?? []).join(',')"
      :invitation
      :many="!!own?.together"
      :gathers="own?.gathers ?? []"
      :model-value
      :error="error || library.failure.value"
      :list="library.load"
      :describe
      :shipped
      @commit="emit('commit', $event)"
      @brought="library.add($event)"
    />
    <p v-if="facts" class="mt-0.5 text-soft">{{ facts.summary }}</p>
    <p v-if="facts?.about" class="text-soft">{{ facts.about }}</p>
    <div v-if="facts?.notes.length" class="mt-1 border-l-2 border-now pl-2">
      <p>{{ own?.together ? "To know:" : "Not as in the file:" }}</p>
      <ul class="list-disc pl-4 text-soft">
        <li v-for="note in facts.notes" :key="note">{{ note }}</li>
      </ul>
    </div>
  </div>
</template>
