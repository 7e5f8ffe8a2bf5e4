<script setup lang="ts">
import { computed } from "vue";

import { answer, api, type Schemas } from "@/api/client";
import { useOffers } from "@/api/offers";

import AssetField from "@/files/AssetField.vue";

defineProps<{ label: string; modelValue: string; error?: string | undefined; help?: string | undefined }>();
const emit = defineEmits<{ commit: [value: string] }>();
const offers = useOffers();
const NONE = { name: "", title: "None", note: "" };
/** Stills that come with the application. */
const shipped = computed(() => [
  NONE,
  ...(offers.value?.library.footage?.shipped ?? [])
    .filter((one) => one.facts.kind === "still")
    .map((one) => ({ name: one.key, title: one.title, note: one.character })),
]);
function list(project: number) {
  return answer(api.GET("/api/projects/{project_id}/pictures", { params: { path: { project_id: project } } }));
}
function describe(picture: Schemas["PictureOut"]) {
  return { title: picture.title, note: `${picture.width} × ${picture.height}` };
}
</script>

<template>
  <div>
    <AssetField
      :label
      folder="pictures"
      accept=".png,.jpg,.jpeg,.tif,.tiff,.tga,.exr,.hdr,.webp,.avif,.bmp,.gif"
      invitation="Bring a picture"
      :model-value
      :error
      :list
      :describe
      :shipped
      @commit="emit('commit', $event)"
    />
    <p v-if="help" class="text-soft">{{ help }}</p>
  </div>
</template>
