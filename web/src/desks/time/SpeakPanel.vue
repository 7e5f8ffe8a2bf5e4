<script setup lang="ts">
/** A voice becomes mouths: ordinary keys of what shows one drawing of several, blinks and a little motion of the head if wanted. */
import { computed, ref, watch } from "vue";

import { answer, api, Problem } from "@/api/client";
import { useLibrary } from "@/api/library";
import ChoiceField from "@/controls/ChoiceField.vue";
import ListField from "@/controls/ListField.vue";
import NumberField from "@/controls/NumberField.vue";
import PressButton from "@/controls/PressButton.vue";
import type { Sound } from "@/shot/document";
import { useShot } from "@/shot/store";

const props = defineProps<{ sound: Sound }>();
const shot = useShot();
const project = computed(() => shot.meta?.project_id ?? 0);
const library = useLibrary("drawings", project);
const models = useLibrary("models", project);
const footage = useLibrary("footage", project);
const MOUTHS = [
  { name: "rest", title: "At rest" },
  { name: "closed", title: "Lips closed (m, b, p)" },
  { name: "open", title: "Open (a)" },
  { name: "wide", title: "Wide (e, i)" },
  { name: "round", title: "Round (o, u)" },
  { name: "teeth", title: "Teeth (s, f, sh)" },
];
interface Part {
  path: string;
  title: string;
  drawings: { code: string; title: string }[];
}
/** Pictures of a card that are offered as mouths at most. */
const MOST_PICTURES = 64;
/** Parts of puppets: those of which one drawing is shown at a time, and all. A card with several pictures is like one of those. */
const parts = computed(() => {
  const several: Part[] = [];
  const all: Part[] = [];
  shot.draft?.elements.forEach((element, at) => {
    const pictures = element.kind === "card" ? (footage.factsOf(element.picture)?.count ?? 1) : 1;
    if (pictures > 1)
      several.push({
        path: `elements.${at}`,
        title: element.name,
        drawings: Array.from({ length: Math.min(pictures, MOST_PICTURES) }, (_, picture) => ({
          code: "",
          title: `Picture ${picture + 1}`,
        })),
      });
    if (element.kind !== "puppet") return;
    const limbs = library.factsOf(element.drawing)?.limbs ?? [];
    for (const limb of limbs) {
      const names = limb.drawings.map((code) => ({
        code,
        title: limbs.find((one) => one.code === code)?.name ?? code,
      }));
      const part = {
        path: `elements.${at}.limbs.${limb.code}`,
        title: `${element.name}: ${limb.name}`,
        drawings: names,
      };
      all.push(part);
      if (names.length > 1) several.push(part);
    }
  });
  return { several, all };
});
/** The part whose name has some letters, in any of a few tongues; or the one with most drawings. */
function likely(of: Part[], words: RegExp) {
  return of.find((one) => words.test(one.path.split(".").at(-1) ?? "")) ?? null;
}
const mouth = ref("");
/** Models with targets: each mouth is a shape of its own. */
const figures = computed(() =>
  (shot.draft?.elements ?? []).flatMap((element, at) => {
    const targets = element.kind === "model" ? (models.factsOf(element.model)?.targets ?? []) : [];
    return targets.length ? [{ path: `elements.${at}`, title: element.name, targets }] : [];
  }),
);
const figure = computed(() => figures.value.find((one) => one.path === mouth.value));
const shapes = ref<Record<string, string>>({});
const eyes = ref("");
const head = ref("");
const values = ref<Record<string, number>>({});
const lids = ref({ open: 1, closed: 2 });
watch(
  parts,
  ({ several, all }) => {
    if (!several.some((one) => one.path === mouth.value) && !figure.value)
      mouth.value =
        (
          likely(several, /mouth|mund|bouche|boca|beak|lip/) ??
          [...several].sort((a, b) => b.drawings.length - a.drawings.length)[0]
        )?.path ?? "";
    if (eyes.value && !several.some((one) => one.path === eyes.value)) eyes.value = "";
    if (head.value && !all.some((one) => one.path === head.value)) head.value = "";
  },
  { immediate: true },
);
const chosen = computed(() => parts.value.several.find((one) => one.path === mouth.value));
const lidsOf = computed(() => parts.value.several.find((one) => one.path === eyes.value));
watch(
  chosen,
  (part) => {
    const names = part?.drawings ?? [];
    const found = (words: RegExp) => names.findIndex((one) => words.test(one.code)) + 1;
    const rest = found(/rest|neutral|ruhe|relax/) || 1;
    // Pictures have no names: they are taken in the order of the mouths.
    if (part?.path.split(".").length === 2) {
      values.value = Object.fromEntries(MOUTHS.map((one, at) => [one.name, Math.min(at + 1, names.length)]));
      return;
    }
    const own: Record<string, number> = { rest, closed: found(/clos|mbp|zu$/) || rest };
    const open = found(/open|_a$|auf/) || Math.min(2, names.length) || 1;
    own.open = open;
    own.wide = found(/wide|smile|_e$|_i$|breit/) || open;
    own.round = found(/round|_o$|_u$|rund/) || open;
    own.teeth = found(/teeth|_s$|_f$|zähne|zaehne/) || own.wide;
    values.value = own;
  },
  { immediate: true },
);
watch(figure, (own) => {
  const found = (words: RegExp) => own?.targets.find((one) => words.test(one.code))?.code ?? "";
  shapes.value = {
    rest: "",
    closed: found(/clos|mbp/),
    open: found(/open|_aa?$|^aa?$/),
    wide: found(/wide|smile|_e$|_i$|ee/),
    round: found(/round|_o$|_u$|oo|ou/),
    teeth: found(/teeth|_s$|_f$|ss|ff/),
  };
});
watch(lidsOf, (part) => {
  const closed = (part?.drawings.findIndex((one) => /clos|blink|shut|zu$/.test(one.code)) ?? -1) + 1 || 2;
  lids.value = { open: closed === 1 ? 2 : 1, closed };
});
const every = ref(1);
const degrees = ref(4);
const seed = ref(1);
const busy = ref(false);
const failure = ref("");
const done = ref("");
function asOptions(part: Part | undefined) {
  return (part?.drawings ?? []).map((one, at) => ({ name: String(at + 1), title: one.title }));
}
async function speak() {
  busy.value = true;
  failure.value = done.value = "";
  const document = shot.draft;
  try {
    const found = await answer(
      api.POST("/api/shots/{shot_id}/speak", {
        params: { path: { shot_id: shot.id } },
        body: {
          document: document as unknown as Record<string, never>,
          sound: props.sound.id,
          mouth: figure.value ? "" : `${mouth.value}.shows`,
          values: figure.value ? {} : values.value,
          shapes: figure.value
            ? Object.fromEntries(
                Object.entries(shapes.value).map(([name, code]) => [
                  name,
                  code ? `${mouth.value}.shapes.${code}.weight` : "",
                ]),
              )
            : {},
          every: every.value,
          blinks: eyes.value ? `${eyes.value}.shows` : "",
          eyes_open: lids.value.open,
          eyes_closed: lids.value.closed,
          head: head.value ? `${head.value}.turn` : "",
          degrees: degrees.value,
          seed: seed.value,
        },
      }),
    );
    // The answer names elements by their places.
    if (shot.draft !== document) {
      failure.value = "The shot was changed meanwhile; let it speak once more.";
      return;
    }
    // A card whose pictures are mouths plays no more by itself.
    const cards = [mouth.value, eyes.value].filter((path) => path && shot.get(`${path}.kind`) === "card");
    const keyed = Object.fromEntries(cards.map((path) => [`${path}.rate`, "as keyed"]));
    shot.editMany({ ...found.values, ...keyed }, `Speak with ${props.sound.name}`);
    done.value = "It speaks: its keys stand on the sheet, where each can be changed.";
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    failure.value = error.problems[0]?.message ?? error.message;
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <fieldset class="grid gap-2 border-l-2 border-line pl-2">
    <legend class="mb-0.5 font-semibold">Let something speak with it</legend>
    <template v-if="parts.several.length || figures.length">
      <ListField
        label="Mouth"
        :model-value="mouth"
        :options="[
          ...parts.several.map((one) => ({ name: one.path, title: one.title, note: `${one.drawings.length}` })),
          ...figures.map((one) => ({ name: one.path, title: one.title, note: 'shapes' })),
        ]"
        @commit="mouth = $event"
      />
      <ListField
        v-for="one in MOUTHS"
        :key="one.name"
        :label="one.title"
        :model-value="figure ? (shapes[one.name] ?? '') : String(values[one.name] ?? 1)"
        :options="
          figure
            ? [
                { name: '', title: 'No shape' },
                ...figure.targets.map(({ code, name }) => ({ name: code, title: name })),
              ]
            : asOptions(chosen)
        "
        @commit="
          figure ? (shapes = { ...shapes, [one.name]: $event }) : (values = { ...values, [one.name]: Number($event) })
        "
      />
      <ChoiceField
        label="A new mouth"
        :model-value="String(every)"
        :options="[
          { name: '1', title: 'each frame' },
          { name: '2', title: 'on twos' },
          { name: '3', title: 'on threes' },
        ]"
        @commit="every = Number($event)"
      />
      <ListField
        label="Blinks"
        :model-value="eyes"
        :options="[
          { name: '', title: 'None' },
          ...parts.several.filter((one) => one.path !== mouth).map((one) => ({ name: one.path, title: one.title })),
        ]"
        @commit="eyes = $event"
      />
      <div v-if="eyes" class="grid grid-cols-2 gap-2">
        <ListField
          label="Open"
          :model-value="String(lids.open)"
          :options="asOptions(lidsOf)"
          @commit="lids.open = Number($event)"
        />
        <ListField
          label="Closed"
          :model-value="String(lids.closed)"
          :options="asOptions(lidsOf)"
          @commit="lids.closed = Number($event)"
        />
      </div>
      <ListField
        label="Turns a little with the voice"
        :model-value="head"
        :options="[{ name: '', title: 'Nothing' }, ...parts.all.map((one) => ({ name: one.path, title: one.title }))]"
        @commit="head = $event"
      />
      <NumberField
        v-if="head"
        label="By up to"
        unit="°"
        :model-value="degrees"
        :min="-180"
        :max="180"
        @commit="degrees = $event"
      />
      <NumberField
        v-if="eyes || head"
        label="Seed"
        whole
        :min="0"
        :max="1000000"
        :model-value="seed"
        @commit="seed = $event"
      />
      <PressButton class="justify-self-start" :disabled="busy || shot.looking || !props.sound.file" @click="speak">
        {{ busy ? "Listening …" : "Speak" }}
      </PressButton>
      <p class="text-soft">Keys that these parts have while it is heard are replaced; undo brings them back.</p>
    </template>
    <p v-else class="text-soft">
      No puppet of this shot has a part with several drawings, no model has shapes, and no card several pictures. Name
      the groups of a puppet’s drawing, one for each mouth.
    </p>
    <p v-if="done" role="status">{{ done }}</p>
    <p v-if="failure" class="text-now" role="alert">✕ {{ failure }}</p>
  </fieldset>
</template>
