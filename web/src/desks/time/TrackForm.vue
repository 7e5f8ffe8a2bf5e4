<script setup lang="ts">
/** Settings of what is selected on the sheet: ways between keys, what is before and after them, waves, and what is done to keys at once. */
import { computed, ref } from "vue";

import ListField from "@/controls/ListField.vue";
import NumberField from "@/controls/NumberField.vue";
import PressButton from "@/controls/PressButton.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import SliderField from "@/controls/SliderField.vue";
import SwitchField from "@/controls/SwitchField.vue";
import type { Key, Track } from "@/shot/document";
import { useShot } from "@/shot/store";

import type { KeySheet } from "./useKeySheet";
import { OUTSIDE, STRENGTHS, WAYS } from "./ways";

const props = defineProps<{ sheet: KeySheet }>();
const shot = useShot();
const column = computed(() => props.sheet.active.value);
const several = computed(() => props.sheet.span.value.columns.length > 1);
const keys = computed(() => props.sheet.keys.value.map((one) => one.key));
/** The value that all selected keys share, or that of the first. */
function shared<K extends keyof Key>(name: K): Key[K] | undefined {
  return keys.value[0]?.[name];
}
const way = computed(() => {
  const found = new Set(keys.value.map((key) => key.way));
  return found.size > 1 ? "" : (shared("way") ?? "");
});
const strength = computed(() => STRENGTHS[way.value]);
/** Between steps nothing lies. */
const stepped = computed(() => ["switch", "choice"].includes(column.value?.kind ?? ""));
const wave = computed(() => column.value?.track.wave ?? null);
const length = computed(() => props.sheet.span.value.last - props.sheet.span.value.first + 1);
const stretch = ref<number | null>(null);
const by = ref(1);

function setWave(values: Partial<NonNullable<Track["wave"]>>, commit = true) {
  const own = wave.value ?? { shape: "to and fro", amount: 10, times: 1, begins: 0 };
  props.sheet.changeTracks({ wave: { ...own, ...values } }, "Wave", commit);
}
function takeWave(on: boolean) {
  if (on) setWave({});
  else if (column.value?.track.keys.length) props.sheet.changeTracks({ wave: null }, "No wave");
  else void removeAll();
}
async function removeAll() {
  if (!column.value) return;
  await shot.retime(
    "delete",
    { tracks: props.sheet.span.value.columns.map((one) => one.path), first: -9_999_999, last: 9_999_999 },
    "Let it stand still",
  );
}
const SHAPES = [
  { name: "to and fro", title: "To and fro" },
  { name: "round", title: "Round", note: "rises and starts anew" },
];
</script>

<template>
  <template v-if="column">
    <h2 class="px-3 pt-2 font-title text-lg">
      {{ several ? `${sheet.span.value.columns.length} columns` : column.title }}
    </h2>
    <p class="px-3 pb-1 text-soft">
      {{ several ? "What is changed here changes in all of them." : column.thing }}
    </p>
    <SectionBlock :title="keys.length === 1 ? `Key at frame ${keys[0]?.frame}` : `${keys.length} keys selected`">
      <template v-if="keys.length">
        <ListField
          v-if="!stepped"
          label="To the next key"
          :model-value="way"
          :options="way ? WAYS : [{ name: '', title: 'They differ' }, ...WAYS]"
          @commit="sheet.changeKeys({ way: $event }, 'Way to the next key')"
        />
        <SliderField
          v-if="strength && !stepped"
          :label="strength"
          :model-value="shared('strength') ?? 0.42"
          :range="[0, 1]"
          :step="0.01"
          :min="0"
          :max="1"
          :initial="0.42"
          @update="sheet.changeKeys({ strength: $event }, strength, false)"
          @commit="sheet.changeKeys({ strength: $event }, strength)"
        />
        <p v-if="way === 'free' && !stepped" class="text-soft">
          Its handles stand in the curve beside the sheet; drag them there.
        </p>
        <div class="flex flex-wrap gap-1.5">
          <PressButton @click="sheet.retime('reverse', {}, 'Reverse keys')">Reverse</PressButton>
          <PressButton @click="sheet.remove()">Take away</PressButton>
          <PressButton @click="sheet.putKeys()">Key at frame {{ shot.frame }}</PressButton>
        </div>
        <div class="flex items-end gap-1.5">
          <NumberField
            class="flex-1"
            label="Frames later"
            whole
            :min="-100000"
            :max="100000"
            :model-value="by"
            @commit="by = $event"
          />
          <PressButton :disabled="!by" @click="sheet.move(by)">Move</PressButton>
        </div>
        <div v-if="keys.length > 1" class="flex items-end gap-1.5">
          <NumberField
            class="flex-1"
            label="Frames that they take"
            whole
            :min="1"
            :max="100000"
            :model-value="stretch ?? length"
            @commit="stretch = $event"
          />
          <PressButton
            :disabled="stretch === null || stretch === length"
            @click="sheet.retime('stretch', { frames: stretch ?? length }, 'Stretch keys').then(() => (stretch = null))"
            >Stretch</PressButton
          >
        </div>
        <p class="text-soft">Ctrl C, X and V copy, cut and paste keys on the sheet.</p>
      </template>
      <template v-else>
        <p class="text-soft">Press a circle to select a key; type a value in a cell to make one.</p>
        <PressButton class="justify-self-start" @click="sheet.putKeys()">Key at frame {{ shot.frame }}</PressButton>
      </template>
    </SectionBlock>
    <SectionBlock title="Around its keys">
      <ListField
        label="Before the first"
        :model-value="column.track.before"
        :options="OUTSIDE"
        @commit="sheet.changeTracks({ before: $event }, 'Before the first key')"
      />
      <ListField
        label="After the last"
        :model-value="column.track.after"
        :options="OUTSIDE"
        @commit="sheet.changeTracks({ after: $event }, 'After the last key')"
      />
      <NumberField
        label="A new value every"
        unit="f"
        whole
        :min="1"
        :max="100"
        :initial="1"
        :model-value="column.track.every"
        @commit="sheet.changeTracks({ every: $event }, $event === 1 ? 'On ones' : `On ${$event}s`)"
      />
      <SwitchField
        v-if="column.kind === 'angles'"
        label="Turn the shortest way"
        help="About one axis; otherwise each angle goes its own way, whole turns and all."
        :model-value="column.track.shortest"
        @commit="sheet.changeTracks({ shortest: $event }, 'Shortest way')"
      />
      <PressButton
        v-if="shot.timing"
        class="justify-self-start"
        @click="sheet.retime('loop', { first: shot.timing.first, last: shot.timing.last }, 'Lead into its beginning')"
        >Lead the range into its beginning</PressButton
      >
    </SectionBlock>
    <SectionBlock v-if="column.kind === 'number'" title="Wave">
      <SwitchField label="Goes in waves over the range" :model-value="wave !== null" @commit="takeWave($event)" />
      <template v-if="wave">
        <ListField label="It goes" :model-value="wave.shape" :options="SHAPES" @commit="setWave({ shape: $event })" />
        <NumberField
          label="Amount"
          :unit="column.unit"
          :model-value="wave.amount"
          @update="setWave({ amount: $event }, false)"
          @commit="setWave({ amount: $event })"
        />
        <NumberField
          label="Times over the range"
          :model-value="wave.times"
          :initial="1"
          :min="-1000"
          :max="1000"
          @update="setWave({ times: $event }, false)"
          @commit="setWave({ times: $event })"
        />
        <NumberField
          label="Begins at, in waves"
          :step="0.05"
          :min="-1"
          :max="1"
          :model-value="wave.begins"
          :initial="0"
          @update="setWave({ begins: $event }, false)"
          @commit="setWave({ begins: $event })"
        />
      </template>
    </SectionBlock>
    <div class="px-3 py-2">
      <button type="button" class="text-select-ink underline underline-offset-2" @click="removeAll">
        Let {{ several ? "them" : "it" }} stand still
      </button>
    </div>
  </template>
</template>
