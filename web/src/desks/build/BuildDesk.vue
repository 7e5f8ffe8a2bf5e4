<script setup lang="ts">
import { computed, onBeforeUnmount, onMounted, ref } from "vue";

import GroundBar from "@/picture/GroundBar.vue";
import LivePicture from "@/picture/LivePicture.vue";
import PlayBar from "@/picture/PlayBar.vue";
import { useRoughFrames } from "@/picture/useRoughFrames";
import { useSpaceKey } from "@/picture/useSpaceKey";
import { useThumbnails } from "@/picture/useThumbnails";
import type { SheetColumn } from "@/sheet/columns";
import DeskFrame from "@/sheet/DeskFrame.vue";
import FindingList from "@/shot/FindingList.vue";
import { useShot } from "@/shot/store";

import SelectedForm from "./SelectedForm.vue";
import SetList from "./SetList.vue";

const shot = useShot();
const selected = ref("elements.0");
const playback = useRoughFrames();
useSpaceKey(playback.toggle);

const thumbnails = useThumbnails();
// A value of its own, so that moving the camera does not draw the sheet anew.
const elements = computed(() => shot.draft?.elements ?? []);
const columns = computed<SheetColumn[]>(() => [
  {
    key: "look",
    title: "look",
    width: "2.5rem",
    mark: (frame) => {
      thumbnails.want(frame);
      return { image: thumbnails.urls.get(frame) };
    },
  },
  ...elements.value.map((element): SheetColumn => ({
    key: element.id,
    title: element.name,
    mark: () =>
      element.shown ? { sign: "▪", text: "shown", tone: "quiet" } : { sign: "○", text: "hidden", tone: "quiet" },
  })),
]);

/** A font dropped anywhere on the desk goes to the selected lettering. */
const dropped = ref<File | null>(null);
function drop(event: DragEvent) {
  const file = event.dataTransfer?.files[0];
  if (!file) return;
  event.preventDefault();
  dropped.value = file;
}
function over(event: DragEvent) {
  if (event.dataTransfer?.types.includes("Files")) event.preventDefault();
}
onMounted(() => {
  window.addEventListener("drop", drop);
  window.addEventListener("dragover", over);
});
onBeforeUnmount(() => {
  window.removeEventListener("drop", drop);
  window.removeEventListener("dragover", over);
});
</script>

<template>
  <DeskFrame :columns>
    <template #picture>
      <LivePicture class="flex-1" movable :playing="playback.current.value?.bitmap ?? null" />
      <GroundBar>
        <PlayBar :playback :total="shot.frames.length" :rate="shot.draft?.timing.rate ?? ''" />
      </GroundBar>
    </template>
    <template #settings>
      <SetList :selected @select="selected = $event" />
      <FindingList desk="build" />
      <SelectedForm :key="selected" :path="selected" :dropped @taken="dropped = null" />
    </template>
  </DeskFrame>
</template>
