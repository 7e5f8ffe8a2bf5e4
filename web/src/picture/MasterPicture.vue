<script setup lang="ts">
/** A rendered frame, from its master. The last one stays until the next has come. */
import { computed, ref, watch } from "vue";

import PictureFrame from "./PictureFrame.vue";

const props = defineProps<{ src: string | null; width: number; height: number; label: string }>();
const shown = ref<string | null>(null);
const failed = ref(false);
let asked = "";

watch(
  () => props.src,
  (src) => {
    asked = src ?? "";
    if (!src) {
      shown.value = null;
      return;
    }
    const image = new Image();
    image.onload = () => {
      if (asked === src) {
        shown.value = src;
        failed.value = false;
      }
    };
    image.onerror = () => {
      if (asked === src) failed.value = true;
    };
    image.src = src;
  },
  { immediate: true },
);
const alt = computed(() => props.label);
</script>

<template>
  <PictureFrame :width :height>
    <img v-if="shown" :src="shown" :alt class="block size-full" />
    <div v-else class="grid size-full place-items-center bg-black/10 text-center text-white"><slot name="empty" /></div>
    <template #over>
      <p
        v-if="failed"
        class="absolute inset-x-4 top-4 mx-auto max-w-lg rounded-sm bg-sheet px-3 py-2 text-center shadow"
        role="alert"
      >
        ✕ This frame’s master cannot be shown; render it again.
      </p>
    </template>
  </PictureFrame>
</template>
