<script setup lang="ts">
/** The colours that a picture may have; none is all of them. They can be found in the picture itself. */
import { X } from "@lucide/vue";
import { ref } from "vue";

import { answer, api } from "@/api/client";
import NumberField from "@/controls/NumberField.vue";
import PressButton from "@/controls/PressButton.vue";
import { useShot } from "@/shot/store";

const props = defineProps<{
  label: string;
  modelValue: string[];
  help?: string | undefined;
  error?: string | undefined;
}>();
const emit = defineEmits<{ update: [value: string[]]; commit: [value: string[]] }>();
const shot = useShot();
const count = ref(12);
const looking = ref(false);

function changed(at: number, event: Event) {
  const colour = (event.target as HTMLInputElement).value;
  return props.modelValue.map((one, index) => (index === at ? colour : one));
}
async function find() {
  looking.value = true;
  try {
    const body = { document: shot.draft as unknown as Record<string, never>, frame: shot.frame, count: count.value };
    const params = { path: { shot_id: shot.id } };
    const found = await answer(api.POST("/api/shots/{shot_id}/palette", { params, body }));
    if (found.length) emit("commit", found);
  } catch (error) {
    shot.note(error);
  } finally {
    looking.value = false;
  }
}
</script>

<template>
  <fieldset>
    <legend class="text-soft">{{ label }}</legend>
    <p v-if="!modelValue.length" class="text-soft">{{ help }}</p>
    <ol v-else class="flex flex-wrap gap-1 py-1">
      <li v-for="(colour, at) in modelValue" :key="at" class="relative">
        <input
          type="color"
          class="h-6 w-8 cursor-pointer rounded-sm border border-rule bg-sheet p-px"
          :value="colour"
          :aria-label="`Colour ${at + 1}`"
          :title="colour"
          @input="emit('update', changed(at, $event))"
          @change="emit('commit', changed(at, $event))"
        />
        <button
          type="button"
          class="absolute -top-1 -right-1 rounded-full border border-rule bg-sheet"
          :aria-label="`Remove colour ${at + 1}`"
          @click="
            emit(
              'commit',
              modelValue.filter((_, index) => index !== at),
            )
          "
        >
          <X :size="10" aria-hidden="true" />
        </button>
      </li>
    </ol>
    <div class="flex flex-wrap items-center gap-1">
      <NumberField label="Colours" compact whole :model-value="count" :min="2" :max="64" @commit="count = $event" />
      <PressButton :disabled="looking" @click="find">Find in this picture</PressButton>
      <PressButton v-if="modelValue.length < 64" quiet @click="emit('commit', [...modelValue, '#808080'])"
        >Add one</PressButton
      >
      <PressButton v-if="modelValue.length" quiet @click="emit('commit', [])">All colours</PressButton>
    </div>
    <p v-if="error" class="text-now" role="alert">✕ {{ error }}</p>
  </fieldset>
</template>
