<script setup lang="ts">
import { computed } from "vue";

import PressButton from "@/controls/PressButton.vue";
import ProgressBar from "@/controls/ProgressBar.vue";
import { duration, megabytes } from "@/shot/cellMarks";
import { useStudio } from "@/api/studio";
import { useRun } from "@/shot/run";
import { counted } from "@/controls/counted";

defineProps<{ looking?: boolean }>();
const emit = defineEmits<{ steer: [verb: "stop" | "continue" | "retry"] }>();
const store = useRun();
const progress = computed(() => store.run?.progress);
const finished = computed(() =>
  progress.value ? progress.value.done + progress.value.reused + progress.value.failed : 0,
);
const share = computed(() => (progress.value?.total ? finished.value / progress.value.total : 0));
const cleaned = computed(() => progress.value?.cleaned ?? 0);
const failed = computed(() =>
  progress.value?.failed ? [...store.cells.values()].filter((cell) => cell.state === "failed") : [],
);
const { idle } = useStudio();
const HEADINGS: Record<string, string> = {
  waiting: "Waiting for a worker",
  running: "Rendering",
  stopped: "Stopped",
  done: "Rendered",
  failed: "Ended with failed frames",
};
const heading = computed(() =>
  store.run?.stopping
    ? "Stopping after the frames under way"
    : store.underWay && idle.value
      ? "Waiting: no worker is there"
      : (HEADINGS[store.run?.state ?? ""] ?? ""),
);
</script>

<template>
  <section v-if="store.run && progress" class="grid gap-2 border-t border-line px-3 py-2" aria-label="Progress">
    <div class="flex items-baseline justify-between">
      <h3 class="font-semibold">{{ heading }}</h3>
      <span>{{ finished }} of {{ progress.total }}</span>
    </div>
    <ProgressBar
      label="Frames finished"
      :share
      :state="store.run.state === 'failed' ? 'failed' : store.underWay ? 'under way' : 'done'"
    />
    <p class="text-soft">
      {{ store.run.quality }} · {{ progress.done }} rendered, {{ progress.reused }} reused<template
        v-if="progress.failed"
        >, {{ progress.failed }} failed</template
      >
      <template v-if="progress.bytes"> · {{ megabytes(progress.bytes) }}</template>
      <template v-if="store.underWay && !idle && progress.left !== null">
        · about {{ duration(progress.left) }} left</template
      >
      <template v-else-if="!store.underWay && store.run.seconds"> · {{ duration(store.run.seconds) }}</template>
    </p>
    <p v-if="store.run.error && store.underWay" class="text-warn" role="status">△ {{ store.run.error }}</p>
    <p v-else-if="store.run.error" class="text-now" role="alert">✕ {{ store.run.error }}</p>
    <p v-if="cleaned && !store.underWay" class="text-soft">
      {{ counted(cleaned, "frame") }} of this run {{ cleaned === 1 ? "was" : "were" }} cleaned up and can be rendered
      again.
    </p>
    <p v-if="store.stale.size && !store.underWay" class="text-warn">
      △ {{ counted(store.stale.size, "frame") }} {{ store.stale.size === 1 ? "is" : "are" }} stale: the shot was changed
      since. A new run renders only what changed.
    </p>
    <div v-if="!looking" class="flex gap-2">
      <PressButton v-if="store.underWay && !store.run.stopping" @click="emit('steer', 'stop')">Stop</PressButton>
      <PressButton v-if="store.run.state === 'stopped' || store.run.stopping" primary @click="emit('steer', 'continue')"
        >Go on</PressButton
      >
      <PressButton
        v-if="(failed.length || cleaned || store.run.state === 'failed') && !store.underWay"
        primary
        @click="emit('steer', 'retry')"
        >{{ failed.length ? "Try failed frames again" : cleaned ? "Render them again" : "Try again" }}</PressButton
      >
    </div>
    <ul v-if="failed.length" class="grid gap-1" aria-label="Failed frames">
      <li v-for="cell in failed.slice(0, 8)" :key="cell.frame" class="text-now">
        ✕ frame {{ cell.frame }}: {{ cell.error }}
      </li>
      <li v-if="failed.length > 8" class="text-soft">and {{ failed.length - 8 }} more</li>
    </ul>
  </section>
</template>
