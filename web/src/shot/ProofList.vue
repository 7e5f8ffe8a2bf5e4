<script setup lang="ts">
/** What was proved on the frames of a run: that passes of light add up, and that layers rejoin. */
import { ref, watch } from "vue";

import { answer, api, type Schemas } from "@/api/client";

import { useRun } from "./run";
import { useShot } from "./store";
import { counted } from "@/controls/counted";

const run = useRun();
const shot = useShot();
const proofs = ref<Schemas["ProofsOut"] | null>(null);

watch(
  [() => run.run?.id, () => run.run?.state, () => run.run?.progress.done],
  async () => {
    const id = run.run?.id;
    if (!id) return;
    const found = await answer(api.GET("/api/runs/{run_id}/proofs", { params: { path: { run_id: id } } }));
    if (run.run?.id === id) proofs.value = found;
  },
  { immediate: true },
);
function levels(share: number) {
  return `${(share * 255).toFixed(share * 255 < 10 ? 2 : 0)} of 255`;
}
function goTo(frame: number, layer: string | undefined) {
  shot.goTo(frame);
  if (layer) run.look(layer);
}
</script>

<template>
  <section
    v-if="proofs && (proofs.sums.length || proofs.rejoins.length)"
    class="grid gap-1 border-t border-line px-3 py-2"
    aria-label="Proofs"
  >
    <h3 class="font-title text-[0.95rem]">Proved on every frame</h3>
    <p v-for="one in proofs.rejoins" :key="one.what.join()" :class="one.largest <= one.allowed ? '' : 'text-warn'">
      <b class="font-semibold" :class="one.largest <= one.allowed ? 'text-done' : ''">{{
        one.largest <= one.allowed ? "✓" : "△"
      }}</b>
      {{ one.what.join(" + ") }}
      {{ one.largest <= one.allowed ? "give the whole picture" : "do not give the whole picture" }}: off by
      {{ levels(one.largest) }} at most, in
      <button type="button" class="underline underline-offset-2" @click="goTo(one.frame, one.what[0])">
        frame {{ one.frame }} at {{ one.x }}, {{ one.y }}</button
      >.
      <span class="text-soft">{{ counted(one.proved, "frame") }}</span>
    </p>
    <p v-for="one in proofs.sums" :key="one.what.join()" :class="one.largest <= one.allowed ? '' : 'text-warn'">
      <b class="font-semibold" :class="one.largest <= one.allowed ? 'text-done' : ''">{{
        one.largest <= one.allowed ? "✓" : "△"
      }}</b>
      Passes of light of {{ one.what[0] }} add up to beauty: off by {{ levels(one.largest) }} at most, in
      <button type="button" class="underline underline-offset-2" @click="goTo(one.frame, one.what[0])">
        frame {{ one.frame }}</button
      >. <span class="text-soft">{{ counted(one.proved, "frame") }}</span>
    </p>
  </section>
</template>
