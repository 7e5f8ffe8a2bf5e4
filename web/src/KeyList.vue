<script setup lang="ts">
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";

import PressButton from "@/controls/PressButton.vue";

defineProps<{ open: boolean }>();
const emit = defineEmits<{ close: [] }>();
const KEYS = [
  ["1 … 6", "go to a desk"],
  ["↑ ↓", "one frame back or on; with Shift ten"],
  ["Home, End", "first, last frame"],
  ["Space", "play and stop"],
  ["Ctrl Z, Ctrl Shift Z", "undo, redo"],
  ["D", "dark or light surround"],
  ["V, Shift V", "in Build: bring everything, or what is selected, into view"],
  ["H", "in Build: how light is spread (histogram)"],
  ["G", "in Build: safe areas and the picture's middle"],
  [
    "drag on the picture",
    "move round the set, or aim the light that is selected; with Shift or the right button sideways; wheel nearer and farther",
  ],
  [
    "click on the picture",
    "select what is seen there, once more what is behind it; with Ctrl or Shift several; drag inside its box to move it (Ctrl: freely, Shift: straight), corners size it, the knob turns it; arrow keys move it by a pixel, with Shift by ten",
  ],
  [
    "on the sheet of Time",
    "arrows walk, with Shift select; digits or Enter type a value, which becomes a key; Delete takes keys away; Ctrl C, X, V copy, cut, paste; drag circles (Alt: without snapping to sound)",
  ],
  ["Ctrl C, Ctrl V", "in Build: copy what is selected and paste it, into other shots too"],
  [
    "in a number",
    "↑ ↓ step, with Shift tenfold; type 24*4; Escape restores; drag its name; double-click its name to reset",
  ],
  ["in Proof: + and −", "magnify, reduce"],
];
</script>

<template>
  <Dialog :open class="relative z-50" @close="emit('close')">
    <div class="fixed inset-0 bg-ink/30" aria-hidden="true" />
    <div class="fixed inset-0 grid place-items-center p-6">
      <DialogPanel class="w-[34rem] border-t-4 border-ink bg-sheet p-6 shadow-xl">
        <DialogTitle class="mb-3 font-title text-2xl">Keys</DialogTitle>
        <dl class="grid grid-cols-[11rem_1fr] gap-y-1.5">
          <template v-for="[key, what] in KEYS" :key="key"
            ><dt class="font-semibold">{{ key }}</dt>
            <dd class="text-soft">{{ what }}</dd></template
          >
        </dl>
        <div class="mt-5 text-right"><PressButton @click="emit('close')">Close</PressButton></div>
      </DialogPanel>
    </div>
  </Dialog>
</template>
