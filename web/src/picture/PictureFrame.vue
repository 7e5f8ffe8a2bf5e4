<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref, useTemplateRef } from "vue";

import { surround } from "./grounds";

const props = defineProps<{ width: number; height: number }>();
/** The size at which the picture stands on the screen, in CSS pixels. */
const emit = defineEmits<{ size: [width: number, height: number] }>();

const room = useTemplateRef("room");
const size = ref({ width: 640, height: 360 });
let observer: ResizeObserver | null = null;

function fit() {
  const box = room.value?.getBoundingClientRect();
  if (!box) return;
  const scale = Math.min((box.width - 32) / props.width, (box.height - 32) / props.height);
  size.value = {
    width: Math.max(16, Math.floor(props.width * scale)),
    height: Math.max(9, Math.floor(props.height * scale)),
  };
  emit("size", size.value.width, size.value.height);
}
onMounted(() => {
  observer = new ResizeObserver(fit);
  if (room.value) observer.observe(room.value);
  fit();
});
onBeforeUnmount(() => observer?.disconnect());
defineExpose({ fit });
const style = computed(() => ({ width: `${size.value.width}px`, height: `${size.value.height}px` }));
</script>

<template>
  <div
    ref="room"
    class="relative grid min-h-0 min-w-0 place-items-center overflow-hidden"
    :class="surround.dark ? 'bg-surround-dark' : 'bg-surround'"
  >
    <div class="relative" :style><slot :size="size" /></div>
    <slot name="over" />
  </div>
</template>
