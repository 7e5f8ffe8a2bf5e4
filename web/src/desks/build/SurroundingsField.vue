<script setup lang="ts">
/** What is around the set: rendered pictures of all that is generated, and a picture of one's own. */
import { RadioGroup, RadioGroupLabel, RadioGroupOption } from "@headlessui/vue";
import { Image } from "@lucide/vue";
import { computed } from "vue";

import { useOffers } from "@/api/offers";
import { useShot } from "@/shot/store";

const props = defineProps<{ label: string; modelValue: string; path: string; error?: string | undefined }>();
const shot = useShot();
const offers = useOffers();
const OWN = { name: "picture", title: "A picture", note: "Your own, of all directions", picture: "", values: {} };
const choices = computed(() => [...(offers.value?.surroundings ?? []), OWN]);

function take(name: string) {
  const one = choices.value.find((choice) => choice.name === name);
  if (!one || name === props.modelValue) return;
  const whole = props.path.slice(0, props.path.lastIndexOf("."));
  const edits = Object.entries({ ...one.values, source: name }).map(([field, value]) => [`${whole}.${field}`, value]);
  shot.editMany(Object.fromEntries(edits), `Surroundings: ${one.title.toLowerCase()}`);
}
</script>

<template>
  <RadioGroup :model-value="modelValue" @update:model-value="take($event as string)">
    <RadioGroupLabel class="mb-1 block text-soft">{{ label }}</RadioGroupLabel>
    <div class="grid grid-cols-3 gap-x-2 gap-y-1.5">
      <RadioGroupOption v-for="one in choices" :key="one.name" v-slot="{ checked }" :value="one.name" as="template">
        <button type="button" class="text-left" :title="one.note">
          <span
            class="block aspect-[3/2] overflow-hidden rounded-sm border-2"
            :class="checked ? 'border-select-ink' : 'border-transparent'"
          >
            <img v-if="one.picture" :src="one.picture" alt="" class="h-full w-full object-cover" loading="lazy" />
            <span v-else class="flex h-full items-center justify-center bg-line text-soft"
              ><Image :size="20" aria-hidden="true"
            /></span>
          </span>
          <span class="block leading-tight" :class="checked ? 'font-semibold text-select-ink' : 'text-soft'">{{
            one.title
          }}</span>
        </button>
      </RadioGroupOption>
    </div>
    <p v-if="error" class="mt-0.5 text-xs text-now" role="alert">✕ {{ error }}</p>
  </RadioGroup>
</template>
