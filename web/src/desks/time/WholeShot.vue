<script setup lang="ts">
/** What is done to the time of the whole shot, keys and range together. */
import { computed, ref } from "vue";

import NumberField from "@/controls/NumberField.vue";
import PressButton from "@/controls/PressButton.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import { useShot } from "@/shot/store";

const shot = useShot();
const by = ref(1);
const length = ref<number | null>(null);
/** Frames to be taken out: the one that is looked at, until others are typed. */
const gone = ref<{ first: number | null; last: number | null }>({ first: null, last: null });
const out = computed(() => {
  const first = gone.value.first ?? shot.frame;
  return { first, last: Math.max(first, gone.value.last ?? first) };
});
async function takeOut() {
  const { first, last } = out.value;
  const what = first === last ? `frame ${first}` : `frames ${first} to ${last}`;
  if (await shot.retime("take-out", { first, last }, `Take ${what} out`)) gone.value = { first: null, last: null };
}
</script>

<template>
  <SectionBlock v-if="shot.timing" title="The whole shot">
    <div class="flex items-end gap-1.5">
      <NumberField
        class="flex-1"
        label="Frames later"
        whole
        :min="-1000000"
        :max="1000000"
        :model-value="by"
        @commit="by = $event"
      />
      <PressButton :disabled="!by" @click="shot.retime('shift-all', { by }, `Shift the shot by ${by}`)"
        >Shift</PressButton
      >
    </div>
    <div class="flex items-end gap-1.5">
      <NumberField
        class="flex-1"
        label="Frames long"
        whole
        :min="2"
        :max="100000"
        :model-value="length ?? shot.timing.last - shot.timing.first + 1"
        @commit="length = $event"
      />
      <PressButton
        :disabled="length === null"
        @click="
          shot
            .retime('stretch-all', { frames: length ?? 2 }, `Stretch the shot to ${length} frames`)
            .then(() => (length = null))
        "
        >Stretch</PressButton
      >
    </div>
    <NumberField
      label="Out from frame"
      whole
      :min="shot.timing.first"
      :max="shot.timing.last"
      :model-value="out.first"
      @commit="gone.first = $event"
    />
    <div class="flex items-end gap-1.5">
      <NumberField
        class="flex-1"
        label="Out to frame"
        whole
        :min="out.first"
        :max="shot.timing.last"
        :model-value="out.last"
        @commit="gone.last = $event"
      />
      <PressButton title="What comes later moves up" :disabled="shot.timing.last <= shot.timing.first" @click="takeOut"
        >Take out</PressButton
      >
    </div>
    <PressButton class="justify-self-start" @click="shot.retime('reverse-all', {}, 'Reverse the shot')"
      >Reverse</PressButton
    >
  </SectionBlock>
</template>
