<script setup lang="ts">
/** The layers, the topmost first as they lie over one another: choose, switch off, move, duplicate, remove. */
import { ArrowDown, ArrowUp, Copy, Eye, EyeOff, Plus, Trash2 } from "@lucide/vue";
import { computed } from "vue";

import { useOffers } from "@/api/offers";
import PressButton from "@/controls/PressButton.vue";
import type { Layer } from "@/shot/document";
import { addedLayer, copiedLayer } from "@/shot/layers";
import { useShot } from "@/shot/store";

const chosen = defineModel<string>({ required: true });
const shot = useShot();
const offers = useOffers();
const layers = computed(() => shot.draft?.layers ?? []);
const fromTop = computed(() => layers.value.map((layer, at) => ({ layer, at })).reverse());

function put(next: Layer[], what: string, then = chosen.value) {
  shot.edit("layers", next, true, what);
  chosen.value = then;
}
function add() {
  const plain = (offers.value?.defaults.layers as Layer[] | undefined)?.[0];
  if (!shot.draft || !plain) return;
  const layer = addedLayer(shot.draft, plain);
  put([...layers.value, layer], "Add layer", layer.name);
}
function copy(at: number) {
  const layer = layers.value[at];
  if (!shot.draft || !layer) return;
  const twin = copiedLayer(shot.draft, layer);
  put([...layers.value.slice(0, at + 1), twin, ...layers.value.slice(at + 1)], `Duplicate ${layer.name}`, twin.name);
}
function remove(at: number) {
  const next = layers.value.filter((_, number) => number !== at);
  put(next, `Delete layer ${layers.value[at]?.name}`, next[Math.max(0, at - 1)]?.name);
}
function move(at: number, by: number) {
  const next = [...layers.value];
  const [layer] = next.splice(at, 1);
  if (!layer) return;
  next.splice(at + by, 0, layer);
  put(next, `Move ${layer.name}`);
}
function toggle(at: number, layer: Layer) {
  shot.edit(`layers.${at}.on`, !layer.on, true, layer.on ? `Leave out ${layer.name}` : `Take in ${layer.name}`);
}
</script>

<template>
  <section class="px-3 pt-2 pb-1" aria-label="Layers">
    <div class="flex items-baseline justify-between">
      <h3 class="font-title text-[0.95rem]">Layers <span class="text-xs text-soft">topmost first</span></h3>
      <PressButton quiet :disabled="layers.length >= 32" @click="add">
        <Plus :size="14" aria-hidden="true" /> Add layer
      </PressButton>
    </div>
    <ul>
      <li
        v-for="{ layer, at } in fromTop"
        :key="layer.name"
        class="flex items-center border-b border-line"
        :class="{ 'bg-select text-select-ink': layer.name === chosen }"
      >
        <button
          type="button"
          class="flex min-w-0 flex-1 items-baseline gap-2 px-1.5 py-1 text-left"
          :aria-pressed="layer.name === chosen"
          @click="chosen = layer.name"
        >
          <span class="font-medium" :class="{ 'line-through': !layer.on }">{{ layer.name }}</span>
          <span class="truncate" :class="layer.name === chosen ? '' : 'text-soft'">{{ layer.title }}</span>
        </button>
        <template v-if="layer.name === chosen && layers.length > 1">
          <button
            type="button"
            class="p-1 disabled:opacity-30"
            :disabled="at === layers.length - 1"
            aria-label="Move over the next"
            title="Over the next"
            @click="move(at, 1)"
          >
            <ArrowUp :size="14" aria-hidden="true" />
          </button>
          <button
            type="button"
            class="p-1 disabled:opacity-30"
            :disabled="at === 0"
            aria-label="Move below the last"
            title="Below the last"
            @click="move(at, -1)"
          >
            <ArrowDown :size="14" aria-hidden="true" />
          </button>
        </template>
        <template v-if="layer.name === chosen">
          <button
            type="button"
            class="p-1"
            :aria-label="`Duplicate layer ${layer.name}`"
            title="Duplicate"
            @click="copy(at)"
          >
            <Copy :size="14" aria-hidden="true" />
          </button>
          <button
            v-if="layers.length > 1"
            type="button"
            class="p-1"
            :aria-label="`Delete layer ${layer.name}`"
            title="Delete (undo brings it back)"
            @click="remove(at)"
          >
            <Trash2 :size="14" aria-hidden="true" />
          </button>
        </template>
        <button
          type="button"
          class="p-1"
          :aria-label="`Layer ${layer.name} in runs and hand-offs`"
          :aria-pressed="layer.on"
          :title="layer.on ? 'Rendered and handed off' : 'Left out of runs and hand-offs'"
          @click="toggle(at, layer)"
        >
          <Eye v-if="layer.on" :size="14" aria-hidden="true" /><EyeOff v-else :size="14" aria-hidden="true" />
        </button>
      </li>
    </ul>
    <p v-if="shot.problems.layers" class="mt-1 text-xs text-now" role="alert">✕ {{ shot.problems.layers }}</p>
  </section>
</template>
