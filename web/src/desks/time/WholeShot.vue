<script setup lang="ts">
/** What is done to the time of the whole shot, keys and range together. */
import { ref } from "vue";

import NumberField from "@/controls/NumberField.vue";
import PressButton from "@/controls/PressButton.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import { useShot } from "@/shot/store";

const shot = useShot();
const by = ref(1);
const length = ref<number | null>(null);
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
    <PressButton class="justify-self-start" @click="shot.retime('reverse-all', {}, 'Reverse the shot')"
      >Reverse</PressButton
    >
  </SectionBlock>
</template>
