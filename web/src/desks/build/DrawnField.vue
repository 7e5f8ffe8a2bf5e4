<script setup lang="ts">
/** Strokes that were drawn by hand: begin and end drawing on the picture, take strokes back. */
import { onBeforeUnmount } from "vue";

import PressButton from "@/controls/PressButton.vue";
import { useShot } from "@/shot/store";

import { drawnIn, type DrawnPoint } from "./handDrawing";
import { counted } from "@/controls/counted";

const props = defineProps<{
  modelValue: { points: DrawnPoint[] }[];
  path: string;
  id: string;
  error?: string | undefined;
}>();
const shot = useShot();
onBeforeUnmount(() => {
  if (drawnIn.value === props.id) drawnIn.value = "";
});
</script>

<template>
  <div class="grid gap-1.5">
    <PressButton
      class="justify-self-start"
      :primary="drawnIn === id"
      :aria-pressed="drawnIn === id"
      :disabled="shot.looking"
      @click="drawnIn = drawnIn === id ? '' : id"
    >
      {{ drawnIn === id ? "Drawing: press to end" : "Draw on the picture" }}
    </PressButton>
    <p class="text-soft">
      {{
        modelValue.length
          ? `${counted(modelValue.length, "stroke")}.`
          : "No stroke yet. A pen’s pressure makes it wider."
      }}
    </p>
    <div v-if="modelValue.length" class="flex gap-1.5">
      <PressButton quiet @click="shot.edit(path, modelValue.slice(0, -1), true, 'Take back a stroke')"
        >Take back the last</PressButton
      >
      <PressButton quiet @click="shot.edit(path, [], true, 'Take back all strokes')">All of them</PressButton>
    </div>
    <p v-if="error" class="text-now" role="alert">✕ {{ error }}</p>
  </div>
</template>
