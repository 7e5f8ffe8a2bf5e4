<script setup lang="ts">
/** Says that the run has no picture of the frame that is looked at, and leads to the nearest one that it has. */
import { computed } from "vue";

import { useRun } from "./run";
import { useShot } from "./store";

const shot = useShot();
const run = useRun();
const nearest = computed(() => {
  const away = (frame: number) => Math.abs(frame - shot.frame);
  return [...run.finished].reduce<number | null>(
    (best, frame) => (best === null || away(frame) < away(best) ? frame : best),
    null,
  );
});
</script>

<template>
  <p>
    Frame {{ shot.frame }} is not rendered in this run.
    <template v-if="nearest !== null">
      <br /><button type="button" class="underline" @click="shot.goTo(nearest)">Look at frame {{ nearest }}</button>,
      the nearest that is.
    </template>
  </p>
</template>
