<script setup lang="ts">
import { computed, ref, watch } from "vue";

import { useOffers } from "@/api/offers";
import ListField from "@/controls/ListField.vue";
import NumberField from "@/controls/NumberField.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import SwitchField from "@/controls/SwitchField.vue";
import IncomingNote from "@/files/IncomingNote.vue";
import GroundBar from "@/picture/GroundBar.vue";
import LivePicture from "@/picture/LivePicture.vue";
import PlayBar from "@/picture/PlayBar.vue";
import { useRoughFrames } from "@/picture/useRoughFrames";
import { useSound } from "@/picture/useSound";
import { useSpaceKey } from "@/picture/useSpaceKey";
import { NUMBERS, type SheetColumn } from "@/sheet/columns";
import DeskFrame from "@/sheet/DeskFrame.vue";
import { heardOf } from "@/shot/document";
import FindingList from "@/shot/FindingList.vue";
import { useShot } from "@/shot/store";
import { unchanged } from "@/shot/unchanged";

import { useIncoming } from "../useIncoming";
import ColumnHeads from "./ColumnHeads.vue";
import KeyColumns from "./KeyColumns.vue";
import { CHOICE, COLUMN, CURVE, type TurnColumn, WAVE } from "./layout";
import LengthFields from "./LengthFields.vue";
import { ghosts, overlays } from "./overlays";
import OverlayFields from "./OverlayFields.vue";
import NamedRanges from "./NamedRanges.vue";
import SoundList from "./SoundList.vue";
import LetMove from "./LetMove.vue";
import TrackForm from "./TrackForm.vue";
import { useKeySheet } from "./useKeySheet";
import WayOverlay from "./WayOverlay.vue";
import WholeShot from "./WholeShot.vue";

const shot = useShot();
const offers = useOffers();
const sound = useSound();
const playback = useRoughFrames(sound);
useSpaceKey(playback.toggle);
const rates = computed(() =>
  (offers.value?.rates ?? []).map((one) => ({
    name: one.name,
    title: one.name,
    note: `${one.value.toFixed(3)} a second`,
  })),
);
/** Columns of marks that a desk has not which has columns of its own. */
const NONE: SheetColumn[] = [];
const sheet = useKeySheet();
/** Columns of what turns over the range, which has no keys. */
const turns = computed<TurnColumn[]>(() => {
  const frames = new Map(shot.frames.map((frame, at) => [frame, at]));
  return (shot.examined?.motion ?? []).map((motion) => ({
    key: motion.element,
    thing: motion.name,
    what: `turn about ${motion.axis}`,
    title: `${motion.name}, turn about ${motion.axis}`,
    mark: (frame) => {
      const degrees = motion.degrees[frames.get(frame) ?? -1];
      // Marked is where a turn begins, wherever that is.
      return degrees === undefined ? null : { text: `${degrees}°`, sign: degrees === motion.degrees[0] ? "◯" : "│" };
    },
  }));
});
const sounds = computed(() => shot.draft?.sounds);
const heard = computed(() => heardOf(sounds.value));
/** Whether the sheet has columns of its own here. */
const keyed = computed(() => sheet.columns.value.length > 0 || heard.value.length > 0);
watch(
  () => shot.frame,
  (frame) => {
    if (!playback.playing.value && heard.value.length) void sound.hear(frame);
  },
);
const choosesCurve = computed(() => sheet.active.value !== null);
const showsCurve = computed(() => overlays.curve && choosesCurve.value);
const wide = computed(
  () =>
    (sheet.columns.value.length + turns.value.length) * COLUMN +
    heard.value.length * WAVE +
    (showsCurve.value ? CURVE : choosesCurve.value ? CHOICE : 0),
);
/** As far as keys lie outside of the range, within reason. */
const reach = computed<[number, number] | undefined>((before) => {
  const frames = sheet.columns.value.flatMap((column) => column.track.keys.map((key) => key.frame));
  const { first, last } = shot.timing ?? { first: 1, last: 1 };
  const near = frames.filter((frame) => frame > first - 2000 && frame < last + 2000);
  return near.length ? unchanged(before, [Math.min(...near), Math.max(...near) + 1]) : undefined;
});
const sheetWidth = computed(() =>
  keyed.value ? `${Math.min(Math.max(NUMBERS + wide.value + 16, 300), 480)}px` : "15rem",
);
const anythingMoves = computed(() => shot.moving.length > 0);
async function setRate(rate: string) {
  if (shot.moving.length && keepSeconds.value) await shot.retime("rate", { rate, keep_seconds: true }, "Rate");
  else change({ rate }, "Rate");
}
const keepSeconds = ref(true);
const bringing = useIncoming(ref(""), () => {});

function change(values: Record<string, unknown>, label: string, commit = true) {
  shot.edit("timing", { ...shot.timing, ...values }, commit, label);
  shot.goTo(shot.frame);
}
</script>

<template>
  <DeskFrame
    :columns="keyed ? NONE : turns"
    :sheet-width="sheetWidth"
    :reach="keyed ? reach : undefined"
    :wide="keyed ? wide : 0"
    bracket
  >
    <template v-if="keyed" #heads>
      <ColumnHeads :sheet :turns :heard />
      <label
        v-if="choosesCurve"
        class="sticky right-0 ml-auto flex shrink-0 items-start justify-end gap-1 bg-sheet px-2 pt-1 whitespace-nowrap"
        :class="{ 'border-l border-rule': showsCurve }"
        :style="showsCurve ? { width: `${CURVE}px` } : {}"
      >
        <input v-model="overlays.curve" type="checkbox" class="accent-select-ink" /> Curve
      </label>
    </template>
    <template v-if="keyed || !turns.length" #columns="lines">
      <p v-if="!keyed" class="sticky top-16 px-3 pt-2 text-soft">
        Nothing moves yet. Choose at the right what is to move; its keys stand here, at their frames.
      </p>
      <KeyColumns v-else v-bind="lines" :sheet :turns :heard="heard.length" :curve="showsCurve" />
    </template>
    <template #picture>
      <LivePicture class="flex-1" :playing="playback.current.value?.bitmap ?? null" :ghosts="ghosts">
        <template #default="{ width }">
          <WayOverlay
            v-if="overlays.way && !playback.playing.value && shot.raster"
            :sheet
            :raster="shot.raster"
            :width
          />
        </template>
      </LivePicture>
      <IncomingNote :bringing />
      <GroundBar>
        <PlayBar :playback :total="shot.frames.length" :rate="shot.timing?.rate ?? ''" />
      </GroundBar>
    </template>
    <template v-if="shot.timing" #settings>
      <p
        v-if="shot.retimeNote"
        class="sticky top-0 z-10 border-l-2 border-warn bg-paper px-3 py-2 text-warn"
        role="alert"
      >
        △ {{ shot.retimeNote }}
      </p>
      <TrackForm :sheet />
      <h2 class="px-3 pt-2 pb-1 font-title text-lg">Time</h2>
      <FindingList desk="time" />
      <LengthFields @length="change({ last: shot.timing.first + $event - 1 }, 'Length')" />
      <LetMove :sheet />
      <SectionBlock title="Range">
        <ListField
          label="Frames a second"
          :model-value="shot.timing.rate"
          :options="rates"
          :error="shot.problems['timing.rate']"
          @commit="setRate"
        />
        <SwitchField
          v-if="anythingMoves"
          label="Another rate keeps seconds"
          help="Keys and range go to other frames; otherwise they keep their frames and play faster or slower."
          :model-value="keepSeconds"
          @commit="keepSeconds = $event"
        />
        <NumberField
          label="First frame"
          whole
          :min="0"
          :model-value="shot.timing.first"
          :initial="1"
          :error="shot.problems['timing.first']"
          @commit="change({ first: $event }, 'First frame')"
        />
        <NumberField
          label="Last frame"
          whole
          :min="0"
          :model-value="shot.timing.last"
          :error="shot.problems['timing.last'] ?? shot.problems.timing"
          @commit="change({ last: $event }, 'Last frame')"
        />
        <NumberField
          label="Step: every nth frame"
          whole
          :min="1"
          :max="1000"
          :model-value="shot.timing.step"
          :initial="1"
          :error="shot.problems['timing.step']"
          @commit="change({ step: $event }, 'Step')"
        />
        <NumberField
          label="Handles at both ends"
          unit="f"
          whole
          :min="0"
          :max="1000"
          :model-value="shot.timing.handles"
          :initial="0"
          :error="shot.problems['timing.handles']"
          @commit="change({ handles: $event }, 'Handles')"
        />
      </SectionBlock>
      <SectionBlock title="Cycle">
        <SwitchField
          label="The last frame leads into the first"
          :model-value="shot.timing.cycle"
          @commit="change({ cycle: $event }, 'Cycle')"
        />
        <p class="text-soft">
          <template v-if="shot.timing.cycle"
            >{{ shot.frames.length }} different frames; frame {{ shot.timing.last + shot.timing.step }} would equal
            frame {{ shot.timing.first }} and is not rendered.</template
          >
          <template v-else>The range plays once; a turn ends where it is asked to end.</template>
        </p>
      </SectionBlock>
      <SoundList />
      <OverlayFields />
      <NamedRanges />
      <WholeShot />
    </template>
  </DeskFrame>
</template>
