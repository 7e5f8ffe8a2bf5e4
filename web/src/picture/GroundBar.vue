<script setup lang="ts">
import { RadioGroup, RadioGroupLabel, RadioGroupOption } from "@headlessui/vue";
import { Moon } from "@lucide/vue";

import BarButton from "./BarButton.vue";
import { ground, type GroundKind, GROUNDS, surround } from "./grounds";

/** What a ground looks like, as a CSS background. */
function swatch(kind: GroundKind) {
  if (kind === "checker") return "repeating-conic-gradient(#9e9e9e 0 25%, #7a7a7a 0 50%) 0 0 / 8px 8px";
  if (kind === "colour") return ground.colour;
  if (kind === "gradient") return `linear-gradient(${ground.colour}, ${ground.colour_to})`;
  return { black: "#000", white: "#fff", grey: "#808080" }[kind];
}
</script>

<template>
  <div class="flex flex-wrap items-center gap-x-2.5 gap-y-1 border-t border-line bg-paper px-3 py-1.5">
    <RadioGroup v-model="ground.kind" class="flex items-center gap-x-1">
      <RadioGroupLabel class="sr-only">Over</RadioGroupLabel>
      <RadioGroupOption v-for="one in GROUNDS" :key="one.name" v-slot="{ checked }" :value="one.name" as="template">
        <button
          type="button"
          class="h-[1.15rem] w-[1.15rem] rounded-full border border-rule outline-offset-1"
          :class="checked ? 'outline-2 outline-select-ink' : ''"
          :style="{ background: swatch(one.name) }"
          :aria-label="`Over ${one.title.toLowerCase()}`"
          :title="`Over ${one.title.toLowerCase()}: only for looking, never in a file`"
        />
      </RadioGroupOption>
    </RadioGroup>
    <input
      v-if="ground.kind === 'colour' || ground.kind === 'gradient'"
      v-model="ground.colour"
      type="color"
      class="h-5 w-6 rounded-sm border border-rule"
      aria-label="Ground colour"
    />
    <input
      v-if="ground.kind === 'gradient'"
      v-model="ground.colour_to"
      type="color"
      class="h-5 w-6 rounded-sm border border-rule"
      aria-label="Ground colour below"
    />
    <slot />
    <BarButton
      class="ml-auto"
      :label="surround.dark ? 'Grey around' : 'Dark around'"
      hint="Neutral grey or dark around the picture (D)"
      :pressed="surround.dark"
      @click="surround.dark = !surround.dark"
    >
      <Moon :size="15" aria-hidden="true" />
    </BarButton>
  </div>
</template>
