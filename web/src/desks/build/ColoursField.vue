<script setup lang="ts">
/** The colours of an emblem's drawing: each as it is drawn, or with a finish, a depth and a bevel of its own. */
import { X } from "@lucide/vue";
import { computed } from "vue";

import { type DrawingFacts, useLibrary } from "@/api/library";
import { type JsonSchema, useOffers } from "@/api/offers";
import { resolveRef } from "@/controls/fields";
import SchemaForm from "@/controls/SchemaForm.vue";
import { useShot } from "@/shot/store";

import FinishField from "./FinishField.vue";
import type { FinishValues } from "./finishes";

interface OwnColour {
  drawn: string;
  stands: string;
  finish: FinishValues;
  [key: string]: unknown;
}
const props = defineProps<{
  label: string;
  help?: string | undefined;
  error?: string | undefined;
  schema: JsonSchema;
  root: JsonSchema;
  modelValue: OwnColour[];
  path: string;
  emblem: Record<string, unknown>;
}>();
const shot = useShot();
const offers = useOffers();
const project = computed(() => shot.meta?.project_id ?? 0);
const library = useLibrary("drawings", project);

const item = computed(() => resolveRef(props.schema.items ?? {}, props.root));
const finish = computed(() => resolveRef(item.value.properties?.finish ?? {}, props.root));
const drawn = computed(() => {
  const found =
    library.all().find((one) => one.key === props.emblem.drawing) ??
    offers.value?.drawings.find((one) => one.key === props.emblem.drawing);
  return (found?.facts as DrawingFacts | undefined)?.colours ?? [];
});
/** The drawing's colours, and those that something was chosen for in another drawing. */
const rows = computed(() => {
  const own = props.modelValue.map((one) => one.drawn);
  return [...drawn.value, ...own.filter((one) => !drawn.value.includes(one))].map((colour) => ({
    colour,
    at: own.indexOf(colour),
    here: drawn.value.includes(colour),
  }));
});

function give(colour: string) {
  const surface = props.emblem.surface as FinishValues;
  const own: OwnColour = {
    drawn: colour,
    stands: "like all",
    depth: props.emblem.depth,
    bevel_width: props.emblem.bevel_width,
    finish: { ...surface, named: "", base_colour: colour },
  };
  shot.edit(props.path, [...props.modelValue, own], true, `A finish for ${colour}`);
}
function take(at: number) {
  const rest = props.modelValue.filter((_, index) => index !== at);
  shot.edit(props.path, rest, true, `${props.modelValue[at]?.drawn} as it is drawn`);
}
</script>

<template>
  <fieldset class="grid gap-1.5">
    <legend class="sr-only">{{ label }}</legend>
    <p class="text-soft">{{ help }}</p>
    <div v-for="row in rows" :key="row.colour" class="grid gap-1.5">
      <div class="flex items-center gap-2">
        <span
          class="size-4 shrink-0 rounded-sm border border-rule"
          :style="{ backgroundColor: row.colour }"
          aria-hidden="true"
        />
        <span class="tabular-nums">{{ row.colour }}</span>
        <span v-if="!row.here" class="text-soft">not in this drawing</span>
        <button
          v-if="row.at < 0"
          type="button"
          class="ml-auto text-select-ink underline underline-offset-2"
          :aria-label="`A finish of its own for ${row.colour}`"
          @click="give(row.colour)"
        >
          Its own …
        </button>
        <button
          v-else
          type="button"
          class="ml-auto p-0.5"
          :aria-label="`${row.colour} as it is drawn`"
          title="As it is drawn"
          @click="take(row.at)"
        >
          <X :size="14" aria-hidden="true" />
        </button>
      </div>
      <div v-if="row.at >= 0" class="grid gap-2 border-l-2 border-line pl-2">
        <SchemaForm
          :schema="item"
          :root
          :value="modelValue[row.at]!"
          :path="`${path}.${row.at}`"
          :problems="shot.problems"
          :skip="['drawn', 'finish']"
          :sections="false"
          @update="(to, inner) => shot.edit(to, inner, false)"
          @commit="(to, inner, what) => shot.edit(to, inner, true, `${row.colour} ${what.toLowerCase()}`)"
        />
        <FinishField
          :label="`Finish of ${row.colour}`"
          :schema="finish"
          :root
          :value="modelValue[row.at]!.finish"
          :path="`${path}.${row.at}.finish`"
        />
      </div>
    </div>
    <p v-if="error" class="text-now" role="alert">✕ {{ error }}</p>
  </fieldset>
</template>
