<script setup lang="ts">
/** Two to five flat tones, each with the amount of light from which on it holds. */
import { Plus, X } from "@lucide/vue";

import { inject } from "vue";

import ColourField from "@/controls/ColourField.vue";
import { KEY_MARK } from "@/controls/keys";
import NumberField from "@/controls/NumberField.vue";
import PressButton from "@/controls/PressButton.vue";

interface Tone {
  above: number;
  colour: string;
}
const props = defineProps<{
  modelValue: Tone[];
  most: number;
  help?: string | undefined;
  error?: string | undefined;
  path: string;
  problems: Record<string, string>;
}>();
const emit = defineEmits<{
  /** One value of a tone, by its path. */
  update: [path: string, value: unknown];
  commit: [path: string, value: unknown];
  remove: [at: number];
}>();
const mark = inject(KEY_MARK, null);

function add() {
  const last = props.modelValue.at(-1);
  if (last)
    emit("commit", props.path, [
      ...props.modelValue,
      { above: Math.round((last.above + 0.25) * 100) / 100, colour: last.colour },
    ]);
}
</script>

<template>
  <fieldset class="grid gap-1">
    <legend class="mb-0.5 text-soft" :title="help">Tones, from dark to light</legend>
    <div
      v-for="(tone, at) in modelValue"
      :key="at"
      class="relative grid grid-cols-[1fr_5.5rem_1.25rem] items-start gap-1.5"
    >
      <component :is="mark" v-if="mark" :path="`${path}.${at}.colour`" :title="`Tone ${at + 1}`" />
      <ColourField
        :label="`Tone ${at + 1}`"
        :model-value="tone.colour"
        :error="problems[`${path}.${at}.colour`]"
        @update="emit('update', `${path}.${at}.colour`, $event)"
        @commit="emit('commit', `${path}.${at}.colour`, $event)"
      />
      <NumberField
        v-if="at"
        compact
        label="from"
        :model-value="tone.above"
        :min="0"
        :max="10"
        :step="0.01"
        :error="problems[`${path}.${at}.above`]"
        @update="emit('update', `${path}.${at}.above`, $event)"
        @commit="emit('commit', `${path}.${at}.above`, $event)"
      />
      <span v-else class="py-0.5 text-right text-soft">from 0</span>
      <button
        v-if="modelValue.length > 2"
        type="button"
        class="p-0.5"
        :aria-label="`Remove tone ${at + 1}`"
        title="Remove this tone"
        @click="emit('remove', at)"
      >
        <X :size="14" aria-hidden="true" />
      </button>
    </div>
    <p class="text-soft">{{ help }}</p>
    <PressButton v-if="modelValue.length < most" quiet @click="add"
      ><Plus :size="14" aria-hidden="true" /> One tone more</PressButton
    >
    <p v-if="error" class="text-now" role="alert">✕ {{ error }}</p>
  </fieldset>
</template>
