<script setup lang="ts">
/** What a drag on the picture moves while a light is selected. */
import { RadioGroup, RadioGroupLabel, RadioGroupOption } from "@headlessui/vue";
import { Move } from "@lucide/vue";

const chosen = defineModel<"camera" | "light">({ required: true });
defineProps<{ name: string }>();
</script>

<template>
  <RadioGroup v-model="chosen" class="flex items-center gap-x-2">
    <RadioGroupLabel class="text-soft"
      ><span class="sr-only">Dragging moves</span><Move :size="14" aria-hidden="true"
    /></RadioGroupLabel>
    <RadioGroupOption v-for="one in ['light', 'camera']" :key="one" v-slot="{ checked }" :value="one" as="template">
      <button
        type="button"
        class="max-w-24 truncate border-b-2 px-0.5"
        :class="
          checked ? 'border-select-ink font-semibold text-select-ink' : 'border-transparent text-soft hover:text-ink'
        "
      >
        {{ one === "light" ? name : "Camera" }}
      </button>
    </RadioGroupOption>
  </RadioGroup>
</template>
