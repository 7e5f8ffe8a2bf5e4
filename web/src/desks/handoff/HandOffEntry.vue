<script setup lang="ts">
import { Download } from "@lucide/vue";
import { computed } from "vue";

import type { Schemas } from "@/api/client";
import PressButton from "@/controls/PressButton.vue";
import { megabytes } from "@/shot/cellMarks";

const props = defineProps<{ handoff: Schemas["HandOffOut"]; looking?: boolean }>();
const emit = defineEmits<{ retry: [] }>();
const written = computed(() => Object.values(props.handoff.written).reduce((sum, frames) => sum + frames.length, 0));
const STATES: Record<string, string> = {
  waiting: "· waiting for the worker",
  writing: "▸ writing and reading back",
  done: "✓ verified",
  failed: "✕ failed",
};
</script>

<template>
  <section class="grid gap-1 border-t border-line px-3 py-2" :aria-label="`Version ${handoff.version}`">
    <div class="flex items-baseline justify-between">
      <h3 class="font-title text-lg">v{{ String(handoff.version).padStart(3, "0") }}</h3>
      <span
        :class="
          handoff.state === 'failed'
            ? 'font-semibold text-now'
            : handoff.state === 'done'
              ? 'font-semibold text-done'
              : 'text-soft'
        "
        >{{ STATES[handoff.state] }}</span
      >
    </div>
    <p class="text-soft">{{ handoff.recipe }} · {{ new Date(handoff.made_at).toLocaleString() }}</p>
    <div
      v-if="handoff.state === 'writing'"
      class="h-2 border border-rule bg-sheet"
      role="progressbar"
      aria-label="Frames verified"
      :aria-valuenow="written"
      aria-valuemin="0"
      :aria-valuemax="handoff.total"
    >
      <div
        class="h-full bg-now transition-[width]"
        :style="{ width: `${(100 * written) / Math.max(1, handoff.total)}%` }"
      />
    </div>
    <template v-if="handoff.state === 'done'">
      <p class="text-soft">
        {{ handoff.files }} files, {{ megabytes(handoff.bytes) }}; largest difference {{ handoff.worst.toFixed(3)
        }}{{ handoff.recipe.startsWith("png") ? " of one code value" : "" }}
      </p>
      <div class="flex gap-3">
        <a
          :href="`/api/handoffs/${handoff.id}/package`"
          class="inline-flex items-center gap-1.5 rounded-sm border border-rule bg-sheet px-2.5 py-1 font-medium hover:bg-select"
          download
          ><Download :size="14" aria-hidden="true" />{{ handoff.package_name }}</a
        >
        <a
          :href="`/api/handoffs/${handoff.id}/manifest`"
          target="_blank"
          class="self-center text-select-ink underline underline-offset-2"
          >manifest</a
        >
      </div>
    </template>
    <p v-if="handoff.state === 'waiting' && handoff.error" class="text-warn" role="status">△ {{ handoff.error }}</p>
    <template v-if="handoff.state === 'failed'">
      <p class="text-now" role="alert">{{ handoff.error }}</p>
      <PressButton v-if="!looking" class="justify-self-start" @click="emit('retry')">Try again</PressButton>
    </template>
  </section>
</template>
