<script setup lang="ts">
/** A form of the hand-off that is being chosen: what it is, what it keeps and loses, how large it will be, and what can be chosen. */
import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/vue";
import { X } from "@lucide/vue";
import { computed, ref } from "vue";

import type { Schemas } from "@/api/client";
import type { Recipe, RecipeOption } from "@/api/offers";
import { megabytes } from "@/shot/cellMarks";

import { changed, type ChosenForm, grouped } from "./forms";
import FitRow from "./FitRow.vue";
import OptionField from "./OptionField.vue";
import { counted } from "@/controls/counted";

const props = defineProps<{
  form: ChosenForm;
  recipe: Recipe;
  /** What it would be like, once that is measured. */
  trial: Schemas["TrialOut"] | null;
  measuring: boolean;
  /** Titles of passes that its files cannot hold and that are not left out. */
  lost: string[];
  /** What the server says is wrong, by the option's name. */
  errors: Record<string, string>;
  /** Whether it is the only one. */
  only: boolean;
  /** It as the server takes it, of which layers and frames, and whether anything can be tried. */
  asked: Schemas["FormIn"];
  layers: string[];
  frameSet: string;
  possible: boolean;
}>();
const emit = defineEmits<{ change: [options: Record<string, string>]; leaveOut: []; remove: [] }>();
const groups = computed(() => grouped(props.recipe));
const notes = computed(() => changed(props.form, props.recipe));
const wrong = computed(() => Object.keys(props.errors).length > 0);
const close = ref(false);
/** How far it is from what was rendered, in words. */
const distance = computed(() => {
  const found = props.trial;
  if (!found || found.error) return "";
  if (found.mean !== null) {
    const alpha = found.alpha ? `, alpha by ${found.alpha.toFixed(0)} at its worst pixel` : ", alpha kept";
    return `colour off by ${found.mean.toFixed(1)} of 255 in the mean, ${found.worst.toFixed(0)} at its worst place${
      ["none", "hard"].includes(props.recipe.alpha) ? "" : alpha
    }`;
  }
  return found.unit === "absolute" ? "every number kept" : `nothing lost but rounding`;
});
function value(option: RecipeOption) {
  return props.form.options[option.name] ?? option.initial;
}
function choose(option: RecipeOption, chosen: string) {
  emit("change", { ...props.form.options, [option.name]: chosen });
}
/** Those that stand beside one another. */
const PAIR = ["width", "height"];
const shown = computed(() => [...groups.value.own, ...groups.value.size].filter(means));
/** What stands behind a colon begins small, but for names. */
function small(text: string) {
  return /^[A-Z][a-z ]/.test(text) ? text.charAt(0).toLowerCase() + text.slice(1) : text;
}
/** A fit and a place mean something only where width and height are given. */
function means(option: RecipeOption) {
  const given = (name: string) => !!props.form.options[name];
  if (option.name === "fit") return given("width") && given("height");
  if (option.name === "place") return given("width") && given("height") && props.form.options.fit !== "stretch";
  if (option.name === "enlarged") return given("width") || given("height");
  if (option.name === "threshold") return !props.form.options.ground;
  return true;
}
</script>

<template>
  <li class="grid gap-0.5 border-b border-line py-1.5" :aria-label="recipe.title">
    <div class="flex items-baseline justify-between gap-2">
      <h4 class="font-semibold">{{ recipe.title }}</h4>
      <span class="flex items-center gap-1 whitespace-nowrap">
        <span v-if="trial && !trial.error" class="tabular-nums" title="Measured on a few frames"
          >about {{ megabytes(trial.bytes) }}</span
        >
        <span v-else-if="measuring" class="text-soft">measuring …</span>
        <button
          v-if="!only"
          type="button"
          class="rounded-sm p-0.5 text-soft hover:bg-select hover:text-ink"
          :aria-label="`Leave ${recipe.title} out`"
          @click="emit('remove')"
        >
          <X :size="14" aria-hidden="true" />
        </button>
      </span>
    </div>
    <p class="text-soft"><span class="text-ink">Keeps:</span> {{ small(recipe.keeps) }}</p>
    <p class="text-soft"><span class="text-ink">Loses:</span> {{ small(recipe.loses) }}</p>
    <p v-if="distance" class="text-xs text-soft">
      Tried on {{ counted(trial!.frames, "frame") }}: {{ distance }}.
      <button
        v-if="trial!.closeup"
        type="button"
        class="text-select-ink underline underline-offset-2"
        :aria-expanded="close"
        @click="close = !close"
      >
        {{ close ? "Close" : "Its worst place" }}
      </button>
    </p>
    <figure v-if="close && trial?.closeup" class="grid gap-0.5">
      <img
        :src="trial.closeup"
        alt="The place where it loses most, as rendered on the left and as the file has it on the right"
        class="w-full max-w-72 border border-rule"
        style="image-rendering: pixelated"
      />
      <figcaption class="text-xs text-soft">
        48 pixels of it over grey: as rendered, and as the file has it. Usually it is an edge.
      </figcaption>
    </figure>
    <p v-if="trial?.error && !lost.length && !wrong" class="text-warn">△ {{ trial.error }}</p>
    <p v-if="lost.length" class="text-warn">
      △ It cannot hold {{ lost.join(", ") }}.
      <button type="button" class="font-medium underline underline-offset-2" @click="emit('leaveOut')">
        Leave {{ lost.length > 1 ? "them" : "it" }} out here
      </button>
      or choose OpenEXR.
    </p>
    <Disclosure v-if="recipe.options.length" v-slot="{ open }">
      <DisclosureButton class="flex w-full items-baseline justify-between text-left text-select-ink">
        <span class="min-w-0 truncate">{{
          open ? "Choices" : notes.length ? notes.join(" · ") : "As it is usual; choose otherwise"
        }}</span>
        <span aria-hidden="true" class="text-soft">{{ open ? "–" : "+" }}</span>
      </DisclosureButton>
      <DisclosurePanel :static="wrong" class="grid grid-cols-2 gap-2 py-1">
        <template v-for="option in shown" :key="option.name">
          <p v-if="option === groups.size[0]" class="col-span-2 border-t border-line pt-1 text-soft">
            Size{{ recipe.options.some((one) => one.name === "rate") ? " and rate" : "" }}
          </p>
          <OptionField
            :class="PAIR.includes(option.name) ? '' : 'col-span-2'"
            :option
            :model-value="value(option)"
            :error="errors[option.name]"
            @commit="choose(option, $event)"
          />
        </template>
        <FitRow
          v-if="possible"
          :recipe
          :form="asked"
          :layers
          :frame-set="frameSet"
          @change="emit('change', { ...form.options, ...$event })"
        />
      </DisclosurePanel>
    </Disclosure>
  </li>
</template>
