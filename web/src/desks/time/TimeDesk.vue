<script setup lang="ts">
import { computed } from "vue";

import { useOffers } from "@/api/offers";
import ListField from "@/controls/ListField.vue";
import NumberField from "@/controls/NumberField.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import SwitchField from "@/controls/SwitchField.vue";
import GroundBar from "@/picture/GroundBar.vue";
import LivePicture from "@/picture/LivePicture.vue";
import PlayBar from "@/picture/PlayBar.vue";
import { useRoughFrames } from "@/picture/useRoughFrames";
import { useSpaceKey } from "@/picture/useSpaceKey";
import type { SheetColumn } from "@/sheet/columns";
import DeskFrame from "@/sheet/DeskFrame.vue";
import FindingList from "@/shot/FindingList.vue";
import { useShot } from "@/shot/store";

import LengthFields from "./LengthFields.vue";
import TurnFields from "./TurnFields.vue";

const shot = useShot();
const offers = useOffers();
const playback = useRoughFrames();
useSpaceKey(playback.toggle);
const timing = computed(() => shot.draft?.timing);
const rates = computed(() =>
  (offers.value?.rates ?? []).map((one) => ({
    name: one.name,
    title: one.name,
    note: `${one.value.toFixed(3)} a second`,
  })),
);
const columns = computed<SheetColumn[]>(() => {
  const frames = new Map(shot.frames.map((frame, at) => [frame, at]));
  return (shot.examined?.motion ?? []).map((motion) => ({
    key: motion.element,
    title: `${motion.name}, turn about ${motion.axis}`,
    mark: (frame) => {
      const degrees = motion.degrees[frames.get(frame) ?? -1];
      // Marked is where a turn begins, wherever that is.
      return degrees === undefined ? null : { text: `${degrees}°`, sign: degrees === motion.degrees[0] ? "◆" : "│" };
    },
  }));
});

function change(values: Record<string, unknown>, label: string, commit = true) {
  shot.edit("timing", { ...timing.value, ...values }, commit, label);
  shot.goTo(shot.frame);
}
</script>

<template>
  <DeskFrame :columns bracket>
    <template #picture>
      <LivePicture class="flex-1" :playing="playback.current.value?.bitmap ?? null" />
      <GroundBar>
        <PlayBar :playback :total="shot.frames.length" :rate="shot.draft?.timing.rate ?? ''" />
      </GroundBar>
    </template>
    <template v-if="timing" #settings>
      <h2 class="px-3 pt-2 pb-1 font-title text-lg">Time</h2>
      <SectionBlock title="Range">
        <ListField
          label="Frames a second"
          :model-value="timing.rate"
          :options="rates"
          :error="shot.problems['timing.rate']"
          @commit="change({ rate: $event }, 'Rate')"
        />
        <NumberField
          label="First frame"
          whole
          :min="0"
          :model-value="timing.first"
          :initial="1"
          :error="shot.problems['timing.first']"
          @commit="change({ first: $event }, 'First frame')"
        />
        <NumberField
          label="Last frame"
          whole
          :min="0"
          :model-value="timing.last"
          :error="shot.problems['timing.last'] ?? shot.problems.timing"
          @commit="change({ last: $event }, 'Last frame')"
        />
        <NumberField
          label="Step: every nth frame"
          whole
          :min="1"
          :max="1000"
          :model-value="timing.step"
          :initial="1"
          :error="shot.problems['timing.step']"
          @commit="change({ step: $event }, 'Step')"
        />
      </SectionBlock>
      <LengthFields @length="change({ last: timing.first + $event - 1 }, 'Length')" />
      <SectionBlock title="Cycle">
        <SwitchField
          label="The last frame leads into the first"
          :model-value="timing.cycle"
          @commit="change({ cycle: $event }, 'Cycle')"
        />
        <p class="text-soft">
          <template v-if="timing.cycle"
            >{{ shot.frames.length }} different frames; frame {{ timing.last + timing.step }} would equal frame
            {{ timing.first }} and is not rendered.</template
          >
          <template v-else>The range plays once; a turn ends where it is asked to end.</template>
        </p>
      </SectionBlock>
      <TurnFields v-for="(element, at) in shot.draft?.elements" :key="element.id" :element :at />
      <FindingList desk="time" />
    </template>
  </DeskFrame>
</template>
