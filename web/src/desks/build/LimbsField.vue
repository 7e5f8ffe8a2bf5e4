<script setup lang="ts">
/** The parts of a puppet, and how the chosen one stands. */
import { computed, watch } from "vue";

import { type LimbFacts, useLibrary } from "@/api/library";
import type { JsonSchema } from "@/api/offers";
import { resolveRef } from "@/controls/fields";
import ListField from "@/controls/ListField.vue";
import PressButton from "@/controls/PressButton.vue";
import SwitchField from "@/controls/SwitchField.vue";
import SchemaForm from "@/controls/SchemaForm.vue";
import { movesOf, split } from "@/shot/moves";
import { useShot } from "@/shot/store";

import { atRest, chosenLimb, type Limb, type Limbs, limbsOnPicture } from "./limbs";

const props = defineProps<{ schema: JsonSchema; root: JsonSchema; modelValue: Limbs; path: string; file: string }>();
const shot = useShot();
const library = useLibrary(
  "drawings",
  computed(() => shot.meta?.project_id ?? 0),
);
const facts = computed(() => library.factsOf(props.file));
const limbs = computed<LimbFacts[]>(() => facts.value?.limbs ?? []);
const puppet = computed(() => {
  const at = /^elements\.(\d+)\./.exec(props.path)?.[1];
  return shot.draft?.elements[Number(at)]?.id ?? "";
});
const chosen = computed({
  get: () => chosenLimb.value[puppet.value] ?? "",
  set: (code) => (chosenLimb.value = { ...chosenLimb.value, [puppet.value]: code }),
});
watch(
  limbs,
  (all) => {
    if (!all.some((one) => one.code === chosen.value)) chosen.value = all[0]?.code ?? "";
  },
  { immediate: true },
);
const limb = computed(() => limbs.value.find((one) => one.code === chosen.value));
const item = computed(() => resolveRef(Object.values(props.schema.patternProperties ?? {})[0] ?? {}, props.root));
/** What stands in the document, the rest as it is at first. */
const value = computed<Record<string, unknown>>(() => ({ ...atRest(item.value), ...props.modelValue[chosen.value] }));
/** A part without a point to bend at does not bend; one without drawings shows none. */
const skip = computed(() => [
  ...(limb.value?.bends || value.value.bends_at === "a point" ? [] : ["bend"]),
  ...((limb.value?.drawings.length ?? 0) > 1 ? [] : ["shows"]),
  ...(value.value.reach ? [] : ["reach_to", "reach_side"]),
]);
const nameOf = (code: string) => limbs.value.find((one) => one.code === code)?.name ?? code;
const depth = computed(() => {
  const found = new Map<string, number>();
  for (const one of limbs.value) found.set(one.code, one.inside ? (found.get(one.inside) ?? 0) + 1 : 0);
  return found;
});
/** Whether anything of a part is not as drawn, or moves. */
const moving = computed(() => {
  const place = split(`${props.path}.x`);
  const fields = shot.draft && place ? Object.keys(movesOf(shot.draft, place.part)) : [];
  return new Set(fields.flatMap((field) => /^limbs\.([^.]+)\./.exec(field)?.[1] ?? []));
});
const changed = computed(() => {
  const rest = JSON.stringify(atRest(item.value));
  return new Set(
    Object.entries(props.modelValue).flatMap(([code, own]) =>
      JSON.stringify({ ...atRest(item.value), ...own }) === rest ? [] : [code],
    ),
  );
});
const drawings = computed(() => [
  { name: "-1", title: "As the file has it" },
  { name: "0", title: "All" },
  ...(limb.value?.drawings ?? []).map((code, at) => ({
    name: String(at + 1),
    title: nameOf(code),
    note: String(at + 1),
  })),
]);
const others = computed(() => [
  { name: "", title: limb.value?.inside ? nameOf(limb.value.inside) : "Nothing", note: "as drawn" },
  { name: "none", title: "Nothing" },
  ...limbs.value.filter((one) => one.code !== chosen.value).map((one) => ({ name: one.code, title: one.name })),
]);
/** Back to how it is drawn; keys of it stay. */
function straighten() {
  const rest: Limbs = Object.fromEntries(Object.entries(props.modelValue).filter(([code]) => code !== chosen.value));
  shot.edit(props.path, rest, true, `${nameOf(chosen.value)} as drawn`);
}
function bring(event: KeyboardEvent) {
  const at = limbs.value.findIndex((one) => one.code === chosen.value);
  const to = limbs.value[at + (event.key === "ArrowDown" ? 1 : -1)];
  if (!to) return;
  event.preventDefault();
  chosen.value = to.code;
}
const known = (own: Limb) => own as unknown as Record<string, unknown>;
</script>

<template>
  <div class="grid gap-2">
    <ul
      v-if="limbs.length"
      class="max-h-56 overflow-y-auto rounded-sm border border-rule bg-sheet py-0.5"
      role="listbox"
      aria-label="Parts of the puppet"
      tabindex="0"
      @keydown.up="bring"
      @keydown.down="bring"
    >
      <li
        v-for="one in limbs"
        :key="one.code"
        role="option"
        class="flex cursor-pointer items-baseline gap-1.5 py-0.5 pr-1.5"
        :class="one.code === chosen ? 'bg-select font-semibold' : ''"
        :style="{ paddingLeft: `${0.4 + 0.75 * (depth.get(one.code) ?? 0)}rem` }"
        :aria-selected="one.code === chosen"
        @click="chosen = one.code"
      >
        <span class="truncate">{{ one.name }}</span>
        <span v-if="one.drawings.length > 1 && one.shows" class="text-2xs text-soft"
          >one of {{ one.drawings.length }}</span
        >
        <span v-if="moving.has(one.code)" class="ml-auto text-2xs text-select-ink" title="Has keys">moves</span>
        <span v-else-if="changed.has(one.code)" class="ml-auto text-2xs text-soft" title="Not as drawn">posed</span>
      </li>
    </ul>
    <SwitchField
      v-if="limbs.length"
      label="Hands on the picture"
      :model-value="limbsOnPicture"
      @commit="limbsOnPicture = $event"
    />
    <p v-if="!limbs.length" class="text-soft">
      {{
        facts && !facts.limbs
          ? "This drawing was brought before its parts were looked for: bring it once more."
          : "This drawing has no parts with names. Name groups or layers in it and bring it again."
      }}
    </p>
    <div v-if="limb" class="grid gap-2 border-l-2 border-line pl-2">
      <SchemaForm
        :schema="item"
        :root
        :value
        :path="`${path}.${chosen}`"
        :problems="shot.problems"
        :skip
        :known="known(value as never)"
        :sections="false"
        @update="(to, inner) => shot.edit(to, inner, false)"
        @commit="(to, inner, what) => shot.edit(to, inner, true, `${limb!.name} ${what.toLowerCase()}`)"
      >
        <template #drawing="{ value: shows, path: to, error, field }">
          <ListField
            :label="field.title"
            :model-value="String(shows)"
            :options="drawings"
            :error
            @commit="shot.edit(to, Number($event), true, `${limb!.name}: drawing`)"
          />
        </template>
        <template #limb="{ value: on, path: to, error, field }">
          <ListField
            :label="field.title"
            :model-value="on as string"
            :options="others"
            :error
            @commit="shot.edit(to, $event, true, `${limb!.name} hangs on another part`)"
          />
        </template>
      </SchemaForm>
      <p class="text-soft">
        It turns about {{ limb.turns_about === "a mark" ? "the point marked in the drawing" : limb.turns_about }}.
        <PressButton v-if="changed.has(chosen)" quiet @click="straighten">As drawn</PressButton>
      </p>
    </div>
  </div>
</template>
