<script setup lang="ts">
/** The passes of a layer by what they are for, each with the code that it has in file names; and what adds up. */
import { computed } from "vue";

import CodeField from "@/controls/CodeField.vue";
import PressButton from "@/controls/PressButton.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import type { Layer } from "@/shot/document";
import { useShot } from "@/shot/store";

const props = defineProps<{ layer: Layer; at: number }>();
const shot = useShot();
const passes = computed(() => shot.examined?.passes ?? []);
type Pass = (typeof passes.value)[number];

const groups = computed(() => {
  const sorted: { title: string; passes: Pass[] }[] = [
    { title: "Picture", passes: [] },
    { title: "Light, adds up to beauty", passes: [] },
    { title: "Light of each group", passes: [] },
    { title: "Shadow", passes: [] },
    { title: "Surfaces, as numbers", passes: [] },
    { title: "Who stands there", passes: [] },
  ];
  for (const one of passes.value) {
    const place =
      one.name === "beauty" || one.name === "matte"
        ? 0
        : one.sums
          ? 1
          : one.name.startsWith("light:")
            ? 2
            : one.role === "data" || one.role === "depth"
              ? 4
              : one.role === "identity" || one.name.startsWith("matte:")
                ? 5
                : 3;
    sorted[place]?.passes.push(one);
  }
  return sorted.filter((group) => group.passes.length);
});
/** Of the parts of beauty the backdrop is nothing where nothing is behind. */
const parts = computed(() => {
  const clear = (props.layer.backdrop ?? shot.draft?.backdrop)?.kind === "clear";
  return passes.value.filter((one) => one.sums && !(clear && one.name === "backdrop"));
});
const missing = computed(() => parts.value.filter((one) => !props.layer.passes.includes(one.name)));
const begun = computed(() => missing.value.length < parts.value.length);

function put(names: Set<string>, what: string) {
  const known = passes.value.map((one) => one.name);
  // What this shot does not have any more stays named until it is taken out by hand.
  const odd = props.layer.passes.filter((one) => !known.includes(one) && names.has(one));
  const next = [...known.filter((one) => names.has(one)), ...odd];
  shot.edit(`layers.${props.at}.passes`, next, true, what);
}
function toggle(one: Pass, on: boolean) {
  const names = new Set(props.layer.passes);
  if (on) names.add(one.name);
  else names.delete(one.name);
  put(names, on ? `Add ${one.title.toLowerCase()}` : `Leave out ${one.title.toLowerCase()}`);
}
function addMissing() {
  put(new Set([...props.layer.passes, ...missing.value.map((one) => one.name)]), "Add what adds up");
}
function everywhere() {
  const layers = shot.draft?.layers.map((one) => ({ ...one, passes: props.layer.passes }));
  shot.edit("layers", layers, true, "The same passes in every layer");
}
function recode(one: Pass, typed: string) {
  const others = Object.entries(shot.draft?.pass_codes ?? {}).filter(([name]) => name !== one.name);
  const codes = Object.fromEntries(typed ? [...others, [one.name, typed]] : others);
  shot.edit("pass_codes", codes, true, `Code of ${one.title.toLowerCase()}`);
}
const error = computed(
  () => Object.entries(shot.problems).find(([field]) => field.startsWith(`layers.${props.at}.passes`))?.[1],
);
const codeError = computed(() => Object.entries(shot.problems).find(([field]) => field.startsWith("pass_codes"))?.[1]);
</script>

<template>
  <SectionBlock title="Passes">
    <div v-for="group in groups" :key="group.title" role="group" :aria-label="group.title">
      <p class="text-xs text-soft">{{ group.title }}</p>
      <ul>
        <li v-for="one in group.passes" :key="one.name" class="flex items-center gap-2 border-b border-line/60">
          <label class="flex min-w-0 flex-1 items-center gap-1.5 py-0.5" :title="one.note">
            <input
              type="checkbox"
              class="accent-select-ink"
              :checked="layer.passes.includes(one.name)"
              :aria-label="one.title"
              @change="toggle(one, ($event.target as HTMLInputElement).checked)"
            />
            <span class="truncate">{{ one.title }}</span>
          </label>
          <CodeField
            v-if="layer.passes.includes(one.name)"
            :model-value="one.code"
            :label="`Code of ${one.title} in file names`"
            :title="`What ${one.title.toLowerCase()} is called in file names; empty: as usual`"
            @commit="recode(one, $event)"
          />
        </li>
      </ul>
    </div>
    <p v-if="error" class="text-xs text-now" role="alert">
      ✕ {{ layer.passes.length ? error : "A layer needs at least one pass." }}
    </p>
    <p v-if="codeError" class="text-xs text-now" role="alert">✕ {{ codeError }}</p>
    <p v-if="begun && !missing.length" class="text-soft">
      beauty = {{ parts.map((one) => one.title.toLowerCase()).join(" + ") }}. This is compared on every frame of a run.
    </p>
    <p v-else-if="begun" class="text-soft">
      For a sum that gives beauty {{ missing.map((one) => one.title.toLowerCase()).join(" and ") }}
      {{ missing.length > 1 ? "are" : "is" }} missing.
      <button type="button" class="font-medium text-select-ink underline underline-offset-2" @click="addMissing">
        Add {{ missing.length > 1 ? "them" : "it" }}
      </button>
    </p>
    <PressButton v-if="(shot.draft?.layers.length ?? 0) > 1" class="justify-self-start" @click="everywhere">
      The same in every layer
    </PressButton>
  </SectionBlock>
</template>
