<script setup lang="ts">
/** A file that was handed off, as a browser plays it, over the ground that is chosen below. */
import { ref, watch } from "vue";

import PressButton from "@/controls/PressButton.vue";
import { groundStyle } from "@/picture/groundStyle";
import PictureFrame from "@/picture/PictureFrame.vue";

import { type LookedAt } from "./forms";

const props = defineProps<{ what: LookedAt; width: number; height: number }>();
const emit = defineEmits<{ close: [] }>();
/** Not every browser knows every kind of movie. */
const failed = ref(false);
watch(
  () => props.what.address,
  () => (failed.value = false),
);
</script>

<template>
  <PictureFrame :width :height>
    <div class="size-full" :style="groundStyle()">
      <video
        v-if="what.moves"
        :key="what.address"
        :src="what.address"
        class="block size-full object-contain"
        :aria-label="what.title"
        autoplay
        loop
        controls
        @error="failed = true"
      />
      <img
        v-else
        :key="`${what.address} still`"
        :src="what.address"
        :alt="what.title"
        class="block size-full object-contain"
        @error="failed = true"
      />
    </div>
    <template #over>
      <p class="absolute inset-x-4 top-3 flex items-center justify-center gap-2">
        <span class="rounded-sm bg-sheet px-2 py-1 shadow">{{ what.title }}, as it was handed off</span>
        <span v-if="failed" class="rounded-sm bg-sheet px-2 py-1 shadow" role="alert"
          >✕ This browser does not show files of this kind; others do</span
        >
        <PressButton @click="emit('close')">Back to the frames</PressButton>
      </p>
    </template>
  </PictureFrame>
</template>
