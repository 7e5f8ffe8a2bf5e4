<script setup lang="ts">
/** What a project takes on the disk, what may go, and what is kept and why. */
import { ref } from "vue";

import { answer, api, Problem, type Schemas } from "@/api/client";
import PressButton from "@/controls/PressButton.vue";
import { megabytes } from "@/shot/cellMarks";

const props = defineProps<{ projectId: number; changes: boolean }>();
const disk = ref<Schemas["DiskOut"] | null>(null);
const open = ref(false);
const busy = ref(false);
const said = ref("");
const failure = ref("");
const params = () => ({ params: { path: { project_id: props.projectId } } });

async function toggle() {
  open.value = !open.value;
  said.value = failure.value = "";
  if (open.value) disk.value = await answer(api.GET("/api/projects/{project_id}/disk", params()));
}
async function clean() {
  const before = disk.value;
  if (!before) return;
  busy.value = true;
  failure.value = "";
  try {
    disk.value = await answer(api.POST("/api/projects/{project_id}/clean", params()));
    said.value = `${before.may_go_count} frames, ${megabytes(before.may_go)}, were removed.`;
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    failure.value = error.message;
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <section class="mt-8 border-t border-line pt-3" aria-label="Disk">
    <div class="flex items-center gap-3">
      <h2 class="font-title text-lg">Disk</h2>
      <PressButton quiet :aria-expanded="open" @click="toggle">{{
        open ? "Close" : "What takes how much"
      }}</PressButton>
    </div>
    <template v-if="open && disk">
      <dl class="mt-1 grid w-96 grid-cols-[1fr_auto] gap-x-6">
        <dt>Rendered frames</dt>
        <dd class="text-right tabular-nums">{{ megabytes(disk.masters) }}</dd>
        <dt>Hand-offs with their packages</dt>
        <dd class="text-right tabular-nums">{{ megabytes(disk.handoffs) }}</dd>
        <dt>Files of the library</dt>
        <dd class="text-right tabular-nums">{{ megabytes(disk.uploads) }}</dd>
        <template v-if="disk.quota">
          <dt class="border-t border-line text-soft">This project may take</dt>
          <dd class="border-t border-line text-right text-soft tabular-nums">{{ megabytes(disk.quota) }}</dd>
        </template>
        <dt class="border-t border-line text-soft">Left on the disk</dt>
        <dd class="border-t border-line text-right text-soft tabular-nums">{{ megabytes(disk.free) }}</dd>
      </dl>
      <h3 class="mt-4 font-title text-[0.95rem]">Rendered frames of this project alone</h3>
      <ul class="mt-1 w-[36rem]">
        <li v-for="one in disk.kept" :key="one.why" class="flex gap-3">
          <span class="w-40 text-right tabular-nums">{{ one.count }} · {{ megabytes(one.bytes) }}</span>
          <span class="text-soft">stay: {{ one.why }}</span>
        </li>
        <li class="flex items-baseline gap-3">
          <span class="w-40 text-right tabular-nums">{{ disk.may_go_count }} · {{ megabytes(disk.may_go) }}</span>
          <span class="text-soft">may go: not used for {{ disk.days }} days, and can be rendered again</span>
        </li>
      </ul>
      <PressButton v-if="changes" class="mt-2" :disabled="busy || !disk.may_go_count" @click="clean"
        >Remove what may go</PressButton
      >
      <p v-if="said" class="mt-1 text-done" role="status">✓ {{ said }}</p>
      <p v-if="failure" class="mt-1 text-now" role="alert">✕ {{ failure }}</p>
    </template>
  </section>
</template>
