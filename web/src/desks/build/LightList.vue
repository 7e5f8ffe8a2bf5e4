<script setup lang="ts">
/** The lights of the shot, and what can be added to them. */
import { Lightbulb, LightbulbOff } from "@lucide/vue";
import { computed, ref } from "vue";

import { useKept } from "@/api/kept";
import { useOffers } from "@/api/offers";
import AddMenu from "@/controls/AddMenu.vue";
import type { Light } from "@/shot/document";
import { useShot } from "@/shot/store";

import KeepDialog from "@/shot/KeepDialog.vue";
import SetRow from "./SetRow.vue";

defineProps<{ selected: string }>();
const emit = defineEmits<{ select: [path: string] }>();
const shot = useShot();
const offers = useOffers();
const lights = computed(() => shot.draft?.lights ?? []);
const kept = useKept(computed(() => shot.meta?.project_id ?? 0));
const keeping = ref(false);

interface Addition {
  name: string;
  title: string;
  note?: string;
  picture?: string;
  lights: Light[];
  /** They take the place of all that are there. */
  whole?: boolean;
  act?: () => void;
}
const additions = computed<{ title: string; items: Addition[] }[]>(() =>
  [
    {
      title: "One light",
      items: (offers.value?.light_kinds ?? []).map((kind) => ({
        name: kind.name,
        title: kind.title,
        lights: [kind.default],
      })),
    },
    {
      title: "Instead of all lights: kept in the project",
      items: [
        ...kept.of("lights").map((one) => ({
          name: `kept ${one.name}`,
          title: one.name,
          picture: kept.picture(one),
          lights: one.content as Light[],
          whole: true,
        })),
        ...(lights.value.length && !shot.looking
          ? [
              {
                name: "keep",
                title: "Keep these lights …",
                note: "For all shots of the project",
                lights: [],
                act: () => void window.setTimeout(() => (keeping.value = true)),
              },
            ]
          : []),
      ],
    },
    {
      title: "Instead of all lights: a ready-made set",
      items: (offers.value?.light_sets ?? []).map((one) => ({ ...one, whole: true })),
    },
  ].filter((group) => group.items.length),
);

function titleOf(kind: string) {
  return (offers.value?.light_kinds.find((one) => one.name === kind)?.title ?? kind).toLowerCase();
}
function freeName(name: string) {
  const taken = new Set(lights.value.map((light) => light.name));
  if (!taken.has(name)) return name;
  let number = 2;
  while (taken.has(`${name} ${number}`)) number += 1;
  return `${name} ${number}`;
}
function add(addition: Addition) {
  if (addition.act) return addition.act();
  const whole = addition.whole;
  const kept = whole ? [] : lights.value;
  const added = whole ? addition.lights : addition.lights.map((light) => ({ ...light, name: freeName(light.name) }));
  shot.edit("lights", [...kept, ...added], true, whole ? addition.title : `Add ${addition.title.toLowerCase()}`);
  emit("select", `lights.${kept.length}`);
}
function copy(light: Light) {
  shot.edit("lights", [...lights.value, { ...light, name: freeName(light.name) }], true, `Duplicate ${light.name}`);
  emit("select", `lights.${lights.value.length - 1}`);
}
function remove(at: number, light: Light) {
  const rest = lights.value.filter((one) => one !== light);
  shot.edit("lights", rest, true, `Delete ${light.name}`);
  emit("select", rest.length ? `lights.${Math.min(at, rest.length - 1)}` : "environment");
}
</script>

<template>
  <section class="px-3 py-2">
    <div class="mb-1 flex items-center justify-between">
      <h2 class="font-title text-lg">Light</h2>
      <AddMenu label="Light" :groups="additions" @pick="add" />
      <KeepDialog
        :open="keeping"
        kind="lights"
        what="All lights of this shot"
        :suggested="`${shot.draft?.title ?? ''} lights`.trim()"
        :content="lights"
        @close="keeping = false"
      />
    </div>
    <p v-if="!lights.length" class="pb-2 text-soft">
      Only the environment lights the set. Add a light, or take a ready-made set to begin.
    </p>
    <ul>
      <SetRow
        v-for="(light, at) in lights"
        :key="at"
        :name="light.name"
        :note="light.on ? titleOf(light.kind) : 'off'"
        :faded="!light.on"
        :selected="selected === `lights.${at}`"
        editable
        @select="emit('select', `lights.${at}`)"
        @copy="copy(light)"
        @remove="remove(at, light)"
      >
        <button
          type="button"
          class="p-1"
          :aria-label="`${light.name} shines`"
          :aria-pressed="light.on"
          :title="light.on ? 'Shines' : 'Off'"
          @click="shot.edit(`lights.${at}.on`, !light.on, true, `${light.name} ${light.on ? 'off' : 'on'}`)"
        >
          <Lightbulb v-if="light.on" :size="14" aria-hidden="true" />
          <LightbulbOff v-else :size="14" aria-hidden="true" />
        </button>
      </SetRow>
      <SetRow
        name="Environment"
        note="mirrors and lights"
        :selected="selected === 'environment'"
        @select="emit('select', 'environment')"
      />
      <SetRow name="Shadows and mirrors" :selected="selected === 'rays'" @select="emit('select', 'rays')" />
    </ul>
  </section>
</template>
