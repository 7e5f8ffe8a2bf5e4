<script setup lang="ts">
/** Says that there is no rendered picture of the frame that is looked at, and leads to the nearest one that there is, or to a run. */
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
  <p v-if="run.loaded && nearest === null">
    Nothing is rendered yet.<br /><RouterLink :to="`/shots/${shot.id}/run`" class="underline">Start a run</RouterLink>
    first.
  </p>
  <p v-else-if="nearest !== null">
    Frame {{ shot.frame }} is not rendered in this run.<br /><button
      type="button"
      class="underline"
      @click="shot.goTo(nearest)"
    >
      Look at frame {{ nearest }}</button
    >, the nearest that is.
  </p>
</template>
