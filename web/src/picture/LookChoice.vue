<script setup lang="ts">
/** What of the picture is looked at: all of it, its alpha, or one of the parts that it is made of. */
import { Listbox, ListboxButton, ListboxLabel, ListboxOption, ListboxOptions } from "@headlessui/vue";
import { computed } from "vue";

import { useOffers } from "@/api/offers";
import { useShot } from "@/shot/store";

const what = defineModel<string>({ required: true });
const offers = useOffers();
const shot = useShot();
/** Of this shot's own lights and elements. */
const own = computed(() => (shot.examined?.passes ?? []).filter((one) => one.name.includes(":")));
const looks = computed(() => [
  { name: "picture", title: "Picture", note: "As it will be in the files" },
  ...(offers.value?.looks ?? []),
  ...own.value,
]);
const chosen = computed(() => looks.value.find((one) => one.name === what.value));
</script>

<template>
  <Listbox v-model="what" as="div" class="relative flex items-center gap-x-2">
    <ListboxLabel class="sr-only">Look at</ListboxLabel>
    <ListboxButton class="rounded-sm border border-rule bg-sheet px-1.5 py-0.5">
      {{ chosen?.title ?? what }} <span aria-hidden="true" class="text-2xs text-soft">▴</span>
    </ListboxButton>
    <ListboxOptions
      class="absolute bottom-full left-0 z-20 mb-1 max-h-96 w-72 overflow-auto rounded-sm border border-rule bg-sheet py-1 shadow-lg"
    >
      <ListboxOption v-for="one in looks" :key="one.name" v-slot="{ active, selected }" :value="one.name" as="template">
        <li class="cursor-pointer px-2.5 py-0.5" :class="{ 'bg-select text-select-ink': active }">
          <span :class="selected ? 'font-semibold' : ''">{{ selected ? "✓ " : "" }}{{ one.title }}</span>
          <span class="block text-2xs" :class="active ? '' : 'text-soft'">{{ one.note }}</span>
        </li>
      </ListboxOption>
    </ListboxOptions>
  </Listbox>
</template>
