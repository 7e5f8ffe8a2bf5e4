<script setup lang="ts">
import ChoiceField from "@/controls/ChoiceField.vue";
import NumberField from "@/controls/NumberField.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import type { Element } from "@/shot/document";
import { useShot } from "@/shot/store";

const props = defineProps<{ name: string; turn: Element["turn"]; at: number }>();
const shot = useShot();
const AXES = [
  { name: "x", title: "x, level" },
  { name: "y", title: "y, upright" },
  { name: "z", title: "z, towards us" },
];
const path = (field: string) => `elements.${props.at}.turn.${field}`;
</script>

<template>
  <SectionBlock :title="`${name} turns`">
    <NumberField
      label="Turns over the range"
      :model-value="turn.turns"
      :initial="0"
      :min="-1000"
      :max="1000"
      :error="shot.problems[path('turns')]"
      @update="shot.edit(path('turns'), $event, false)"
      @commit="shot.edit(path('turns'), $event, true, 'Turns')"
    />
    <NumberField
      label="Turned at the first frame"
      unit="°"
      :model-value="turn.start"
      :initial="0"
      :min="-360000"
      :max="360000"
      :error="shot.problems[path('start')]"
      @update="shot.edit(path('start'), $event, false)"
      @commit="shot.edit(path('start'), $event, true, 'Turned at the first frame')"
    />
    <ChoiceField
      label="About the axis"
      :model-value="turn.axis"
      :options="AXES"
      @commit="shot.edit(path('axis'), $event, true, 'Axis')"
    />
  </SectionBlock>
</template>
