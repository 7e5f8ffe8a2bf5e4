<script setup lang="ts">
/** What is drawn over the picture for whoever moves things; no file can contain it. */
import NumberField from "@/controls/NumberField.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import SliderField from "@/controls/SliderField.vue";
import SwitchField from "@/controls/SwitchField.vue";

import { overlays } from "./overlays";
</script>

<template>
  <SectionBlock title="On the picture">
    <SwitchField
      label="Way of what is selected"
      help="Its dots are the frames, its circles the keys. In no file."
      :model-value="overlays.way"
      @commit="overlays.way = $event"
    />
    <SwitchField
      label="Neighbouring frames"
      help="Shown through the picture. In no file."
      :model-value="overlays.ghosts"
      @commit="overlays.ghosts = $event"
    />
    <template v-if="overlays.ghosts">
      <NumberField
        label="Before"
        whole
        :min="0"
        :max="8"
        :initial="2"
        :model-value="overlays.before"
        @commit="overlays.before = $event"
      />
      <NumberField
        label="After"
        whole
        :min="0"
        :max="8"
        :initial="2"
        :model-value="overlays.after"
        @commit="overlays.after = $event"
      />
      <NumberField
        label="Every so many frames"
        whole
        :min="1"
        :max="100"
        :initial="1"
        :model-value="overlays.every"
        @commit="overlays.every = $event"
      />
      <SliderField
        label="How strong"
        :range="[0, 1]"
        :step="0.05"
        :min="0"
        :max="1"
        :initial="0.3"
        :model-value="overlays.strength"
        @update="overlays.strength = $event"
        @commit="overlays.strength = $event"
      />
    </template>
  </SectionBlock>
</template>
