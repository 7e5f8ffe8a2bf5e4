<script setup lang="ts">
/** One set as several layers, each with the passes a receiver needs, under names that strangers can read. */
import { computed, ref } from "vue";

import SectionBlock from "@/controls/SectionBlock.vue";
import BarButton from "@/picture/BarButton.vue";
import GroundBar from "@/picture/GroundBar.vue";
import LivePicture from "@/picture/LivePicture.vue";
import LookChoice from "@/picture/LookChoice.vue";
import type { SheetColumn } from "@/sheet/columns";
import DeskFrame from "@/sheet/DeskFrame.vue";
import FindingList from "@/shot/FindingList.vue";
import { useShot } from "@/shot/store";
import { Layers } from "@lucide/vue";

import BackdropFields from "./BackdropFields.vue";
import FileNames from "./FileNames.vue";
import LayerForm from "./LayerForm.vue";
import LayerList from "./LayerList.vue";
import MembersTable from "./MembersTable.vue";
import PassList from "./PassList.vue";

/** Letters of a file's name that a narrow column shows: its end, since that differs from frame to frame. */
const ENDING = 10;
const shot = useShot();
const wanted = ref("");
const together = ref(false);
const what = ref("picture");
const layers = computed(() => shot.draft?.layers ?? []);
const at = computed(() =>
  Math.max(
    0,
    layers.value.findIndex((one) => one.name === wanted.value),
  ),
);
const layer = computed(() => layers.value[at.value]);
const chosen = computed({
  get: () => layer.value?.name ?? "",
  set: (name: string) => {
    wanted.value = name;
    together.value = false;
  },
});
const columns = computed<SheetColumn[]>(() => {
  const outputs = shot.examined?.plan?.outputs ?? [];
  const place = new Map(shot.frames.map((frame, index) => [frame, index]));
  return layers.value.map((one) => {
    const output = outputs.find((each) => each.layer === one.name);
    return {
      key: one.name,
      title: one.name,
      chosen: one.name === chosen.value,
      choose: () => (chosen.value = one.name),
      mark: (frame) => {
        if (!one.on) return { sign: "–", text: "off", tone: "quiet" };
        const name = output?.names[place.get(frame) ?? -1];
        if (name && layers.value.length > 1) return { text: `…${name.slice(-ENDING)}`, title: name };
        return name ? { text: name } : output ? { sign: "–", tone: "quiet" } : null;
      },
    };
  });
});
const sheetWidth = computed(() => (layers.value.length > 1 ? "19rem" : "21rem"));
</script>

<template>
  <DeskFrame :columns :sheet-width="sheetWidth">
    <template #picture>
      <LivePicture class="flex-1" :layer="together ? '*' : chosen" :what="together ? 'picture' : what" />
      <GroundBar>
        <LookChoice v-if="!together" v-model="what" />
        <BarButton
          v-if="layers.length > 1"
          label="All together"
          hint="All layers laid over one another, as a receiver puts them together"
          :pressed="together"
          @click="together = !together"
        >
          <Layers :size="15" aria-hidden="true" />
        </BarButton>
        <span class="text-soft">{{ together ? "all layers, rejoined" : `layer ${chosen}` }}</span>
      </GroundBar>
    </template>
    <template v-if="shot.draft && layer" #lists>
      <h2 class="px-3 pt-2 font-title text-lg">Split</h2>
      <LayerList v-model="chosen" />
      <MembersTable :chosen @choose="chosen = $event" />
      <FindingList desk="split" />
    </template>
    <template v-if="shot.draft && layer" #settings>
      <PassList :layer :at />
      <LayerForm :key="at" :layer :at @renamed="wanted = $event" />
      <SectionBlock title="What is behind the whole shot">
        <BackdropFields label="Backdrop of picture, run and files" path="backdrop" :backdrop="shot.draft.backdrop" />
      </SectionBlock>
      <FileNames />
    </template>
  </DeskFrame>
</template>
