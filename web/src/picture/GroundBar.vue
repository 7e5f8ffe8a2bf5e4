<script setup lang="ts">
import { RadioGroup, RadioGroupLabel, RadioGroupOption } from "@headlessui/vue";

import { ground, GROUNDS, surround } from "./grounds";
</script>

<template>
  <div class="flex flex-wrap items-center gap-x-3 gap-y-1 border-t border-line bg-paper px-3 py-1.5">
    <RadioGroup v-model="ground.kind" class="flex flex-wrap items-center gap-x-2">
      <RadioGroupLabel class="text-soft">Over</RadioGroupLabel>
      <RadioGroupOption v-for="one in GROUNDS" :key="one.name" v-slot="{ checked }" :value="one.name" as="template">
        <button
          type="button"
          class="border-b-2 px-0.5"
          :class="
            checked ? 'border-select-ink font-semibold text-select-ink' : 'border-transparent text-soft hover:text-ink'
          "
        >
          {{ one.title }}
        </button>
      </RadioGroupOption>
    </RadioGroup>
    <input
      v-if="ground.kind === 'colour' || ground.kind === 'gradient'"
      v-model="ground.colour"
      type="color"
      class="h-5 w-7 rounded-sm border border-rule"
      aria-label="Ground colour"
    />
    <input
      v-if="ground.kind === 'gradient'"
      v-model="ground.colour_to"
      type="color"
      class="h-5 w-7 rounded-sm border border-rule"
      aria-label="Ground colour below"
    />
    <slot />
    <button
      type="button"
      class="ml-auto whitespace-nowrap text-soft hover:text-ink"
      :aria-pressed="surround.dark"
      title="Neutral grey or dark around the picture (D)"
      @click="surround.dark = !surround.dark"
    >
      {{ surround.dark ? "Grey around" : "Dark around" }}
    </button>
  </div>
</template>
