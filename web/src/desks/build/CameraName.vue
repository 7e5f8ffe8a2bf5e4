<script setup lang="ts">
/** The name of a camera that was added, and its end. The main camera has neither. */
import { computed } from "vue";

import PressButton from "@/controls/PressButton.vue";
import TextField from "@/controls/TextField.vue";
import { removeCamera, renameCamera } from "@/shot/cameras";
import { useShot } from "@/shot/store";

const props = defineProps<{ path: string }>();
const emit = defineEmits<{ select: [path: string] }>();
const shot = useShot();
const name = computed(() => {
  const at = /^cameras\.(\d+)\.camera$/.exec(props.path)?.[1];
  return at === undefined ? undefined : shot.draft?.cameras[Number(at)]?.name;
});

function remove() {
  if (!shot.draft || name.value === undefined) return;
  shot.editMany(removeCamera(shot.draft, name.value), `Delete ${name.value}`);
  emit("select", "camera");
}
function rename(to: string) {
  const wanted = to.trim();
  if (shot.draft && wanted && name.value !== undefined)
    shot.editMany(renameCamera(shot.draft, name.value, wanted), `Rename to ${wanted}`);
}
</script>

<template>
  <div v-if="name !== undefined" class="flex items-end gap-2 px-3 pt-2 pb-3">
    <TextField
      class="flex-1"
      label="Name of the camera"
      :model-value="name"
      :error="shot.problems.view"
      @commit="rename"
    />
    <PressButton quiet :title="`Delete ${name} (undo brings it back)`" @click="remove">Delete</PressButton>
  </div>
</template>
