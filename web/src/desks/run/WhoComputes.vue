<script setup lang="ts">
/** The workers that are there, and which process made how much of this run. */
import { onBeforeUnmount, ref, watch } from "vue";

import { answer, api, type Schemas } from "@/api/client";
import { useStudio } from "@/api/studio";
import { duration } from "@/shot/cellMarks";
import { useRun } from "@/shot/run";

const EVERY_MS = 2000;
const run = useRun();
const { workers } = useStudio();
const places = ref<Schemas["PlaceOut"][]>([]);
let timer = 0;

async function look() {
  window.clearTimeout(timer);
  const id = run.run?.id;
  if (!id) return;
  try {
    const found = await answer(api.GET("/api/runs/{run_id}/places", { params: { path: { run_id: id } } }));
    if (run.run?.id === id) places.value = found;
  } catch {
    // Told elsewhere: the page says when the server does not answer.
  }
  if (run.underWay) timer = window.setTimeout(() => void look(), EVERY_MS);
}
watch([() => run.run?.id, () => run.underWay], look, { immediate: true });
onBeforeUnmount(() => window.clearTimeout(timer));
</script>

<template>
  <section v-if="workers?.length || places.length" class="border-t border-line px-3 py-2" aria-label="Who computes">
    <h3 class="font-title text-[0.95rem]">Who computes</h3>
    <p v-for="one in workers ?? []" :key="one.name" class="text-soft">
      A worker on {{ one.host }} with {{ one.processes }} {{ one.processes === 1 ? "process" : "processes" }}
    </p>
    <table v-if="places.length" class="mt-1 w-full">
      <tbody>
        <tr v-for="one in places" :key="one.place">
          <td class="truncate">{{ one.place }}</td>
          <td class="text-right tabular-nums">{{ one.cells }}</td>
          <td class="w-20 text-right text-soft tabular-nums">{{ duration(one.seconds) }}</td>
        </tr>
      </tbody>
    </table>
  </section>
</template>
