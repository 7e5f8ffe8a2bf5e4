<script setup lang="ts">
import { computed, ref } from "vue";

import { useOffers } from "@/api/offers";
import GroundBar from "@/picture/GroundBar.vue";
import { ground } from "@/picture/grounds";
import PlayBar from "@/picture/PlayBar.vue";
import { usePlayback } from "@/picture/usePlayback";
import { useSpaceKey } from "@/picture/useSpaceKey";
import type { SheetColumn } from "@/sheet/columns";
import DeskFrame from "@/sheet/DeskFrame.vue";
import { cellMark } from "@/shot/cellMarks";
import FindingList from "@/shot/FindingList.vue";
import { lookUrl } from "@/shot/look";
import NotRendered from "@/shot/NotRendered.vue";
import ProofList from "@/shot/ProofList.vue";
import { useRun } from "@/shot/run";
import { useShot } from "@/shot/store";

import PixelView from "./PixelView.vue";
import ProbePanel from "./ProbePanel.vue";
import ProofSettings from "./ProofSettings.vue";

const shot = useShot();
const run = useRun();
const offers = useOffers();
const wanted = ref("picture");
const blend = ref<"linear" | "encoded">("linear");
const zoom = ref(0);
const pixel = ref<{ x: number; y: number } | null>(null);
const around = ref(false);

/** Of the frames that were rendered: the shot's may be others by now. */
const raster = computed(() => run.raster ?? shot.draft?.raster ?? { width: 16, height: 16, overscan: 0 });
/** Pixels of overscan that are shown on each side. */
const margin = computed(() => (around.value ? raster.value.overscan : 0));

const layer = computed(() => run.layer);
/** The passes that this layer has in its masters: those of the document, as long as the run is of it. */
const looks = computed(() => {
  const own = shot.draft?.layers.find((one) => one.name === layer.value)?.passes ?? [];
  const known = (shot.examined?.passes ?? []).filter((one) => own.includes(one.name) && one.name !== "beauty");
  const matte = known.some((one) => one.name === "matte") ? [] : [{ name: "matte", title: "Matte" }];
  return [{ name: "picture", title: "Picture" }, ...matte, ...known];
});
const what = computed({
  get: () => (looks.value.some((one) => one.name === wanted.value) ? wanted.value : "picture"),
  set: (name: string) => (wanted.value = name),
});
const there = computed(() => run.finished.has(shot.frame));
const look = computed(() => ({
  ground: { ...ground },
  what: what.value,
  blend: blend.value,
  overscan: margin.value > 0,
}));
const src = computed(() => (run.run && there.value ? lookUrl(run.run.id, layer.value, shot.frame, look.value) : null));
const columns = computed<SheetColumn[]>(() => [
  ...(run.layers.length ? run.layers : [""]).map((one) => ({
    key: `rendered ${one}`,
    title: run.layers.length > 1 ? one : "rendered",
    width: "4.6rem",
    chosen: one === layer.value,
    ...(run.layers.length > 1 ? { choose: () => run.look(one) } : {}),
    mark: (frame: number) => {
      const cell = run.cells.get(run.key(one, frame));
      return cell
        ? cellMark(cell.state, cell.error, run.stale.has(frame))
        : ({ sign: "–", text: "", tone: "quiet" } as const);
    },
  })),
  {
    key: "findings",
    title: "findings",
    mark: (frame) => {
      const found = (shot.examined?.findings ?? []).filter((one) => one.frame === frame);
      if (!found.length) return null;
      // As in the list beside it: a hint is no warning.
      const warns = found.some((one) => one.level === "warning");
      const text = found.map((one) => one.message).join(" ");
      return warns ? { sign: "△", text, tone: "warn" } : { sign: "◦", text, tone: "plain" };
    },
  },
]);

async function load(frame: number) {
  const response = await fetch(lookUrl(run.run?.id ?? 0, layer.value, frame, { ...look.value, kind: "jpeg" }));
  if (!response.ok) throw new Error(String(response.status));
  return createImageBitmap(await response.blob());
}
const sheetWidth = computed(() => `${Math.min(24, Math.max(15, 9 + 4.6 * run.layers.length))}rem`);
const playback = usePlayback(
  () => shot.frames.filter((frame) => run.finished.has(frame)),
  () => offers.value?.rates.find((one) => one.name === shot.draft?.timing.rate)?.value ?? 24,
  load,
  () => [run.run?.id, layer.value, run.finished.size, look.value],
  () => shot.frame,
);
useSpaceKey(playback.toggle);
</script>

<template>
  <DeskFrame :columns :sheet-width="sheetWidth">
    <template #picture>
      <PixelView
        v-model:zoom="zoom"
        class="flex-1"
        :src
        :playing="playback.current.value?.bitmap ?? null"
        :width="raster.width + 2 * margin"
        :height="raster.height + 2 * margin"
        :margin
        :label="`Frame ${shot.frame} ${what === 'picture' ? `over ${ground.kind}` : `as ${what}`}`"
        @pixel="pixel = $event"
      >
        <NotRendered v-if="!there" />
      </PixelView>
      <GroundBar>
        <PlayBar v-if="run.finished.size" :playback :total="run.finished.size" :rate="shot.draft?.timing.rate ?? ''" />
      </GroundBar>
    </template>
    <template #settings>
      <h2 class="px-3 pt-2 pb-1 font-title text-lg">Proof</h2>
      <ProofSettings
        v-model:what="what"
        v-model:blend="blend"
        v-model:zoom="zoom"
        v-model:around="around"
        :looks
        :overscan="raster.overscan"
      />
      <ProbePanel :pixel :run-id="run.run?.id ?? 0" :layer :frame="there ? shot.frame : null" />
      <ProofList v-if="run.run" />
      <FindingList />
    </template>
  </DeskFrame>
</template>
