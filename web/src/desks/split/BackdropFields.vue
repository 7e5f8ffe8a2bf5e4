<script setup lang="ts">
/** What is behind everything, in the shot or in one layer. */
import { computed } from "vue";

import ChoiceField from "@/controls/ChoiceField.vue";
import ColourField from "@/controls/ColourField.vue";
import type { Backdrop } from "@/shot/document";
import { useShot } from "@/shot/store";

const props = defineProps<{
  label: string;
  path: string;
  backdrop: Backdrop | null;
  /** A layer may have the shot's. */ inherit?: boolean;
}>();
const shot = useShot();
const KINDS = [
  { name: "clear", title: "Clear" },
  { name: "colour", title: "One colour" },
  { name: "gradient", title: "Gradient" },
  { name: "surroundings", title: "Surroundings" },
  { name: "key", title: "Key colour" },
];
/** Medium green, the usual colour to be taken out again. */
const KEY = "#00a651";
const kinds = computed(() => (props.inherit ? [{ name: "", title: "The shot’s" }, ...KINDS] : KINDS));
const kind = computed(() => props.backdrop?.kind ?? "");
const NOTES: Record<string, string> = {
  clear: "Everything around the elements is see-through, in every pass and file.",
  surroundings: "What lights the set stands behind it, in every pass and file; nothing is see-through.",
  key: "A colour to be taken out again. No light throws a shadow, so that none falls on it.",
};

function choose(next: string) {
  const plain = shot.draft?.backdrop ?? { kind: "clear", colour: KEY, colour_to: "#101820" };
  const value = next ? { ...(props.backdrop ?? plain), kind: next, ...(next === "key" ? { colour: KEY } : {}) } : null;
  shot.edit(props.path, value, true, "Backdrop");
}
</script>

<template>
  <ChoiceField :label :model-value="kind" :options="kinds" :initial="inherit ? '' : 'clear'" @commit="choose" />
  <template v-if="backdrop">
    <ColourField
      v-if="['colour', 'gradient', 'key'].includes(backdrop.kind)"
      :label="backdrop.kind === 'gradient' ? 'Above' : 'Colour'"
      :model-value="backdrop.colour"
      :error="shot.problems[`${path}.colour`]"
      @update="shot.edit(`${path}.colour`, $event, false)"
      @commit="shot.edit(`${path}.colour`, $event, true, 'Backdrop colour')"
    />
    <ColourField
      v-if="backdrop.kind === 'gradient'"
      label="Below"
      :model-value="backdrop.colour_to"
      :error="shot.problems[`${path}.colour_to`]"
      @update="shot.edit(`${path}.colour_to`, $event, false)"
      @commit="shot.edit(`${path}.colour_to`, $event, true, 'Backdrop colour')"
    />
    <p v-if="NOTES[backdrop.kind]" class="text-soft">{{ NOTES[backdrop.kind] }}</p>
  </template>
</template>
