<script setup lang="ts">
import { answer, api, type Schemas } from "@/api/client";

import AssetField from "@/files/AssetField.vue";

defineProps<{ modelValue: string; error?: string | undefined; help?: string | undefined }>();
const emit = defineEmits<{ commit: [value: string] }>();
const NONE = [{ name: "", title: "None yet", note: "" }];
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
      label="Picture"
      folder="skies"
      accept=".hdr,.exr,.png,.jpg,.jpeg,.tif,.tiff,.tga,.webp,.avif,.bmp"
      invitation="Bring a picture, or drop it here"
      :model-value
      :error
      :list
      :describe
      :shipped="NONE"
      @commit="emit('commit', $event)"
    />
    <p class="text-soft">{{ help }}</p>
  </div>
</template>
