<script setup lang="ts">
import { computed } from "vue";

import { answer, api, type Schemas } from "@/api/client";
import { useOffers } from "@/api/offers";

import AssetField from "@/files/AssetField.vue";

/** none: what stands for no font at all, if that may be. */
const props = defineProps<{
  label: string;
  none?: string | undefined;
  modelValue: string;
  error?: string | undefined;
}>();
const emit = defineEmits<{ commit: [value: string] }>();
const offers = useOffers();
const shipped = computed(() => [
  ...(props.none ? [{ name: "", title: props.none, note: "" }] : []),
  ...(offers.value?.fonts ?? []).map((font) => ({ name: font.key, title: font.title, note: font.character })),
]);
function list(project: number) {
  return answer(api.GET("/api/projects/{project_id}/fonts", { params: { path: { project_id: project } } }));
}
function describe(font: Schemas["FontOut"]) {
  return { title: font.title, note: font.character };
}
</script>

<template>
  <AssetField
    :label
    folder="fonts"
    accept=".ttf,.otf,.ttc,.otc,.woff,.woff2,font/ttf,font/otf,font/collection,font/woff,font/woff2"
    invitation="Use your own TTF, OTF or WOFF, or drop it here"
    :model-value
    :error
    :list
    :describe
    :shipped
    @commit="emit('commit', $event)"
  />
</template>
