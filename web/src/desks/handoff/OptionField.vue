<script setup lang="ts">
/** One option of a form: words to choose from, a list where there are many, a number, or a colour. */
import { computed } from "vue";

import type { RecipeOption } from "@/api/offers";
import ChoiceField from "@/controls/ChoiceField.vue";
import ColourField from "@/controls/ColourField.vue";
import ListField from "@/controls/ListField.vue";
import SwitchField from "@/controls/SwitchField.vue";
import TextField from "@/controls/TextField.vue";

const props = defineProps<{ option: RecipeOption; modelValue: string; error?: string | undefined }>();
const emit = defineEmits<{ commit: [value: string] }>();
/** More words than stand in a line are a list. */
const FEW = 3;
const label = computed(() => (props.option.unit ? `${props.option.title} (${props.option.unit})` : props.option.title));
const isMaybe = computed(() => props.option.kind === "colour" && !props.option.initial);
</script>

<template>
  <div>
    <ListField
      v-if="option.choices.length > FEW"
      :label
      :model-value="modelValue"
      :options="option.choices"
      :error
      @commit="emit('commit', $event)"
    />
    <ChoiceField
      v-else-if="option.choices.length"
      :label
      :model-value="modelValue"
      :options="option.choices"
      :initial="option.initial"
      :error
      @commit="emit('commit', $event)"
    />
    <template v-else-if="option.kind === 'colour'">
      <SwitchField
        v-if="isMaybe"
        label="Over a ground"
        :model-value="!!modelValue"
        @commit="emit('commit', $event ? '#ffffff' : '')"
      />
      <ColourField
        v-if="!isMaybe || modelValue"
        :label
        :model-value="modelValue"
        :initial="option.initial || undefined"
        :error
        @commit="emit('commit', $event)"
      />
    </template>
    <TextField v-else :label :model-value="modelValue" :error @commit="emit('commit', $event.trim())" />
    <p v-if="option.note" class="text-xs text-soft">{{ option.note }}</p>
  </div>
</template>
