<script setup lang="ts">
import { computed, ref } from "vue";

import { Problem } from "@/api/client";
import PressButton from "@/controls/PressButton.vue";
import GroundBar from "@/picture/GroundBar.vue";
import { ground } from "@/picture/grounds";
import MasterPicture from "@/picture/MasterPicture.vue";
import type { SheetColumn } from "@/sheet/columns";
import DeskFrame from "@/sheet/DeskFrame.vue";
import { cellMark } from "@/shot/cellMarks";
import FindingList from "@/shot/FindingList.vue";
import { framesOf } from "@/shot/frameSet";
import { lookUrl } from "@/shot/look";
import ProofList from "@/shot/ProofList.vue";
import { useRun } from "@/shot/run";
import { useShot } from "@/shot/store";
import StudioNotice from "@/StudioNotice.vue";

import RunProgress from "./RunProgress.vue";
import RunStart from "./RunStart.vue";
import WhoComputes from "./WhoComputes.vue";

const shot = useShot();
const run = useRun();
const failure = ref("");
const ofRun = computed(() => new Set(framesOf(run.run?.frame_set ?? "")));
/** Wide enough for the state of each layer in words. */
const sheetWidth = computed(() => `${Math.min(24, Math.max(15, 4.5 + 4.9 * run.layers.length))}rem`);
const columns = computed<SheetColumn[]>(() =>
  run.layers.map((layer) => ({
    key: layer,
    title: layer,
    chosen: layer === run.layer,
    ...(run.layers.length > 1 ? { choose: () => run.look(layer) } : {}),
    mark: (frame) => {
      const cell = run.cells.get(run.key(layer, frame));
      return cell
        ? cellMark(cell.state, cell.error, run.stale.has(frame))
        : run.underWay && ofRun.value.has(frame)
          ? cellMark("waiting", "", false)
          : null;
    },
  })),
);
/** While it renders, the newest picture; otherwise the frame at the playhead, or the nearest that there is. */
const shown = computed(() => {
  if (run.underWay && run.newest) return run.newest;
  const layer = run.layer;
  if (!layer || !run.finished.size) return null;
  const nearest = [...run.finished].reduce((best, one) =>
    Math.abs(one - shot.frame) < Math.abs(best - shot.frame) ? one : best,
  );
  return { layer, frame: nearest };
});
const src = computed(() =>
  shown.value && run.run ? lookUrl(run.run.id, shown.value.layer, shown.value.frame, { ground, kind: "jpeg" }) : null,
);

async function attempt(work: () => Promise<void>) {
  failure.value = "";
  try {
    await work();
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    failure.value = error.message;
  }
}
</script>

<template>
  <DeskFrame :columns :sheet-width="sheetWidth">
    <template #picture>
      <MasterPicture
        class="flex-1"
        :src
        :width="shot.draft!.raster.width"
        :height="shot.draft!.raster.height"
        :label="`Rendered frame ${shown?.frame ?? ''}`"
      >
        <template #empty
          ><p>Nothing is rendered yet.<br />Start a run; its frames appear here as they come.</p></template
        >
      </MasterPicture>
      <GroundBar
        ><span v-if="shown" class="text-soft"
          >frame {{ shown.frame }}<template v-if="run.layers.length > 1"> of {{ shown.layer }}</template></span
        ></GroundBar
      >
    </template>
    <template #settings>
      <h2 class="px-3 pt-2 pb-1 font-title text-lg">Run</h2>
      <StudioNotice workers />
      <RunProgress v-if="run.run" :looking="shot.looking" @steer="attempt(() => run.steer($event))" />
      <p v-if="failure" class="px-3 pb-2 text-now" role="alert">✕ {{ failure }}</p>
      <ProofList v-if="run.run" />
      <FindingList />
      <RunStart
        v-if="!run.underWay && !shot.looking"
        @start="
          (frames, quality, layers) => attempt(() => run.start(shot.id, shot.meta!.revision, frames, quality, layers))
        "
      />
      <WhoComputes v-if="run.run" />
      <section v-if="run.runs.length > 1" class="border-t border-line px-3 py-2">
        <h3 class="font-title text-[0.95rem]">Earlier runs</h3>
        <PressButton
          v-for="one in run.runs"
          :key="one.id"
          quiet
          class="w-full justify-start!"
          :aria-pressed="one.id === run.run?.id"
          @click="run.show(one.id)"
        >
          {{ one.id === run.run?.id ? "▸" : "" }} {{ new Date(one.made_at).toLocaleString() }} ·
          {{ one.progress.total }} · {{ one.quality }} · {{ one.state }}
        </PressButton>
      </section>
    </template>
  </DeskFrame>
</template>
