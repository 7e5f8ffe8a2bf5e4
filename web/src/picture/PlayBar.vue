<script setup lang="ts">
import { Pause, Play } from "@lucide/vue";

import PressButton from "@/controls/PressButton.vue";

import type { usePlayback } from "./usePlayback";

const props = defineProps<{ playback: ReturnType<typeof usePlayback>; total: number; rate: string }>();
const { playing, loading, loaded, measured, apart, toggle } = props.playback;
</script>

<template>
  <div class="flex items-center gap-2">
    <PressButton :aria-pressed="playing" @click="toggle">
      <Pause v-if="playing" :size="14" aria-hidden="true" /><Play v-else :size="14" aria-hidden="true" />
      {{ playing ? "Stop" : "Play" }}
    </PressButton>
    <span class="text-soft" aria-live="off" :data-apart="Math.max(0, apart).toFixed(3)">
      <template v-if="loading">rendering rough frames {{ loaded }} of {{ total }}</template>
      <template v-else-if="playing">{{ measured ? measured.toFixed(1) : "…" }} of {{ rate }} frames a second</template>
    </span>
  </div>
</template>
