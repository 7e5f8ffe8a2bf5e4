<script setup lang="ts">
/** How anything comes to move: a field with a first key, or a choice of one step that makes ordinary keys. */
import { computed, ref, watch } from "vue";

import { useOffers } from "@/api/offers";
import ListField from "@/controls/ListField.vue";
import NumberField from "@/controls/NumberField.vue";
import PressButton from "@/controls/PressButton.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import { useShot } from "@/shot/store";
import { unchanged } from "@/shot/unchanged";

import TurnFields from "./TurnFields.vue";
import type { KeySheet } from "./useKeySheet";

const props = defineProps<{ sheet: KeySheet }>();
const shot = useShot();
const offers = useOffers();
const thing = ref("");
const frames = ref(12);

interface Thing {
  name: string;
  title: string;
  kind: string;
  at: string;
}
const things = computed<Thing[]>((before) => {
  const document = shot.draft;
  if (!document) return [];
  return unchanged(before, [
    ...document.elements.map((one, at) => ({
      name: one.id,
      title: one.name,
      kind: `element:${one.kind}`,
      at: `elements.${at}`,
    })),
    { name: "camera", title: "Camera Main", kind: "camera", at: "camera" },
    ...document.cameras.map((one, at) => ({
      name: `camera ${one.name}`,
      title: `Camera ${one.name}`,
      kind: "camera",
      at: `cameras.${at}.camera`,
    })),
    ...document.lights.map((one, at) => ({
      name: `light ${at}`,
      title: one.name,
      kind: `light:${one.kind}`,
      at: `lights.${at}`,
    })),
    { name: "environment", title: "Surroundings", kind: "environment", at: "environment" },
    { name: "backdrop", title: "Backdrop", kind: "backdrop", at: "backdrop" },
    ...document.finishes.map((one, at) => ({
      name: `finish ${one.name}`,
      title: `Finish ${one.name}`,
      kind: "finish",
      at: `finishes.${at}`,
    })),
    ...(document.sounds ?? []).map((one, at) => ({
      name: `sound ${one.id}`,
      title: one.name,
      kind: "sound",
      at: `sounds.${at}`,
    })),
  ]);
});
const chosen = computed(() => things.value.find((one) => one.name === thing.value) ?? things.value[0]);
/** With the column that is selected, its thing. */
watch(
  () => props.sheet.active.value?.part,
  (part) => {
    const found = things.value.find((one) => one.at === part);
    if (found) thing.value = found.name;
  },
);

/** What of it moves already. */
const moves = computed<string[]>((before) => {
  const own = shot.moving.filter((one) => one.part === chosen.value?.at);
  return unchanged(
    before,
    own.map((one) => one.field.replace(/\.\d$/, "")),
  );
});
const fields = computed(() => {
  const moving = new Set(moves.value);
  return (offers.value?.moves[chosen.value?.kind ?? ""] ?? []).filter(
    (one) => !moving.has(one.name) && !/[*#]/.test(one.name),
  );
});
/** The element that is chosen, which may turn evenly over the range without keys. */
const turning = computed(() => shot.draft?.elements.find((one) => one.id === chosen.value?.name));
const element = computed(() => (chosen.value?.at.startsWith("elements.") ? chosen.value : null));

async function letMove(field: string) {
  const own = chosen.value;
  if (!own || !field) return;
  const path = `${own.at}.${field}`;
  const title = fields.value.find((one) => one.name === field)?.title ?? field;
  if (await shot.retime("key", { tracks: [path], first: shot.frame }, `${own.title}: ${title} moves`))
    props.sheet.chooseField(path);
}
/** A number of a vector alone: what moves on other ways than the rest. */
const vector = computed(() => {
  const column = props.sheet.active.value;
  return column && ["vector", "angles"].includes(column.kind) ? column : null;
});
function takeApart() {
  const column = vector.value;
  if (!column || !shot.draft) return;
  const rest = Object.fromEntries(
    shot.moving
      .filter((one) => one.part === column.part && one.path !== column.path)
      .map((one) => [one.field, one.track]),
  );
  const single = [0, 1, 2].map((at) => [
    `${column.field}.${at}`,
    {
      ...column.track,
      shortest: false,
      keys: column.track.keys.map((key) => ({ ...key, value: (key.value as number[])[at] })),
    },
  ]);
  shot.edit(
    `${column.part}.moves`,
    { ...rest, ...Object.fromEntries(single) },
    true,
    `${column.title}: x, y and z apart`,
  );
  props.sheet.chooseField(`${column.path}.0`);
}
async function make(what: string, label: string) {
  const own = element.value;
  const first = what.endsWith("fade-out")
    ? (shot.draft?.timing.last ?? shot.frame)
    : what.endsWith("fade-in")
      ? (shot.draft?.timing.first ?? 0)
      : shot.frame;
  if (what === "hold") {
    await shot.retime("hold", { frames: frames.value }, label);
    return;
  }
  const all = what.startsWith("all-");
  if (!all && !own) return;
  const before = new Map(shot.moving.map((one) => [one.path, JSON.stringify(one.track)]));
  const name = all || !own ? label : `${own.title}: ${label.toLowerCase()}`;
  const elements = all || !own ? [] : [own.at];
  if (!(await shot.retime(what.replace("all-", ""), { elements, first, frames: frames.value }, name))) return;
  // What was made is selected, as a first key is.
  const made = shot.moving.find((one) => before.get(one.path) !== JSON.stringify(one.track));
  const at = props.sheet.columns.value.findIndex((one) => one.path === made?.path);
  if (at >= 0) props.sheet.chooseColumn(at);
}
</script>

<template>
  <SectionBlock title="Let something move">
    <ListField
      label="Of"
      :model-value="chosen?.name ?? ''"
      :options="things.map(({ name, title }) => ({ name, title }))"
      @commit="thing = $event"
    />
    <ListField
      label="A first key for"
      model-value=""
      :options="[{ name: '', title: 'Choose what moves …' }, ...fields]"
      @commit="letMove"
    />
    <p v-if="vector" class="text-soft">
      {{ vector.title }} moves as one.
      <button type="button" class="text-select-ink underline underline-offset-2" @click="takeApart">
        x, y and z apart
      </button>
    </p>
    <p class="text-soft">In every form the circle beside a field does the same.</p>
  </SectionBlock>
  <TurnFields
    v-if="element && turning"
    :name="turning.name"
    :turn="turning.turn"
    :at="Number(element.at.split('.')[1])"
  />
  <SectionBlock title="In one step">
    <NumberField label="Frames" whole :min="1" :max="10000" :model-value="frames" @commit="frames = $event" />
    <div class="flex flex-wrap gap-1.5">
      <PressButton :disabled="!element" @click="make('fade-in', 'Fade in')">Fade in</PressButton>
      <PressButton :disabled="!element" @click="make('fade-out', 'Fade out')">Fade out</PressButton>
      <PressButton :disabled="!element" @click="make('flash', 'Flash')">Flash at {{ shot.frame }}</PressButton>
      <PressButton @click="make('hold', 'Hold at the end')">Hold at the end</PressButton>
      <PressButton @click="make('all-fade-in', 'All of it fades in')">All fade in</PressButton>
      <PressButton @click="make('all-fade-out', 'All of it fades out')">All fade out</PressButton>
    </div>
    <p v-if="!element" class="text-soft">Fades and flashes are of elements: choose one above.</p>
  </SectionBlock>
</template>
