<script setup lang="ts">
import { ref, watch } from "vue";

import { answer, api, Problem, type Schemas } from "@/api/client";
import SectionBlock from "@/controls/SectionBlock.vue";

const props = defineProps<{
  pixel: { x: number; y: number } | null;
  runId: number;
  layer: string;
  frame: number | null;
}>();
const read = ref<Schemas["ProbeOut"] | null>(null);
let busy = false;
let next: typeof props.pixel = null;

async function probe() {
  if (busy || !next || props.frame === null || !props.runId) return;
  busy = true;
  const { x, y } = next;
  next = null;
  try {
    const path = { run_id: props.runId, layer: props.layer, frame: props.frame };
    read.value = await answer(
      api.GET("/api/runs/{run_id}/cells/{layer}/{frame}/probe", { params: { path, query: { x, y } } }),
    );
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    read.value = null;
  } finally {
    busy = false;
    if (next) void probe();
  }
}
watch([() => props.pixel, () => props.frame, () => props.runId], () => {
  if (!props.pixel) return;
  next = props.pixel;
  void probe();
});
const NAMES = ["R", "G", "B", "A"];
</script>

<template>
  <SectionBlock title="Probe">
    <p v-if="!read" class="text-soft">Point at a pixel to read it.</p>
    <template v-else>
      <p>
        pixel {{ read.x }}, {{ read.y
        }}<template v-if="read.depth !== null"> · {{ read.depth.toFixed(1) }} u away</template>
      </p>
      <table class="w-full text-right" aria-label="Values of the pixel">
        <thead class="text-2xs text-soft">
          <tr>
            <th scope="col" class="text-left font-normal"><span class="sr-only">channel</span></th>
            <th scope="col" colspan="2" class="font-normal">straight</th>
            <th scope="col" colspan="2" class="font-normal">premultiplied</th>
          </tr>
          <tr>
            <td></td>
            <th scope="col" class="font-normal">8 bit</th>
            <th scope="col" class="font-normal">float</th>
            <th scope="col" class="font-normal">8 bit</th>
            <th scope="col" class="font-normal">float</th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(name, at) in NAMES" :key="name" class="border-t border-line">
            <th scope="row" class="text-left font-semibold">{{ name }}</th>
            <td>{{ read.straight_8[at] }}</td>
            <td>{{ read.straight[at]?.toFixed(4) }}</td>
            <td>{{ read.premultiplied_8[at] }}</td>
            <td>{{ read.premultiplied[at]?.toFixed(4) }}</td>
          </tr>
        </tbody>
      </table>
      <p class="text-xs text-soft">Floats are linear light; 8-bit values are sRGB-encoded.</p>
    </template>
  </SectionBlock>
</template>
