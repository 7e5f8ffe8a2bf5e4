<script setup lang="ts">
/** The finish of one surface: its own values, or those that it shares with others under a name. */
import { computed, ref } from "vue";

import { useKept } from "@/api/kept";
import { type JsonSchema, useOffers } from "@/api/offers";
import AddMenu from "@/controls/AddMenu.vue";
import { type FieldPlan } from "@/controls/fields";
import SchemaForm from "@/controls/SchemaForm.vue";
import TextField from "@/controls/TextField.vue";
import { withValue } from "@/shot/document";
import { withoutMember } from "@/shot/moves";
import { useShot } from "@/shot/store";

import { bare, type FinishValues, renameEdits, shareEdits, users } from "./finishes";
import KeepDialog from "@/shot/KeepDialog.vue";
import TextureField from "./TextureField.vue";
import TonesField from "./TonesField.vue";

const props = defineProps<{
  label: string;
  schema: JsonSchema;
  root: JsonSchema;
  value: FinishValues;
  path: string;
  /** Paths of other surfaces that are to stay like this one. */
  also?: string[];
}>();
const shot = useShot();
const offers = useOffers();
const kept = useKept(computed(() => shot.meta?.project_id ?? 0));
const keeping = ref(false);

const shared = computed(() => shot.seen?.finishes ?? []);
const at = computed(() => shared.value.findIndex((one) => one.name === props.value.named));
const valuesPath = computed(() => (at.value >= 0 ? `finishes.${at.value}.values` : props.path));
const values = computed(() => (at.value >= 0 ? (shared.value[at.value]?.values as FinishValues) : props.value));
const count = computed(() => (shot.draft && props.value.named ? users(shot.draft, props.value.named) : 0));

interface Action {
  name: string;
  title: string;
  note?: string;
  picture?: string;
  act: () => void;
}
const groups = computed<{ title: string; items: Action[] }[]>(() => {
  const document = shot.draft;
  if (!document) return [];
  const named = props.value.named;
  const own: Action[] = named
    ? [{ name: "own", title: "Values of its own", note: "No longer shared; looks the same", act: unshare }]
    : [{ name: "share", title: "Share these values", note: "Under a name, for other surfaces", act: share }];
  const others = shared.value.filter((one) => one.name !== named);
  return [
    { title: props.label, items: own },
    {
      title: "Shared in this shot",
      items: others.map((one) => ({
        name: `shared ${one.name}`,
        title: one.name,
        note: usedBy(users(document, one.name)),
        act: () => put(`${props.path}.named`, one.name, `${props.label}: ${one.name}`),
      })),
    },
    {
      title: "Shared, used nowhere: remove",
      items: others
        .filter((one) => users(document, one.name) === 0)
        .map((one) => ({
          name: `remove ${one.name}`,
          title: `Remove ${one.name}`,
          act: () =>
            shot.edit(
              "finishes",
              (shot.draft?.finishes ?? []).filter((other) => other.name !== one.name),
              true,
              `Remove ${one.name}`,
            ),
        })),
    },
    {
      title: named ? `Instead of the values of ${named}: kept in the project` : "Kept in the project",
      items: [
        ...kept.of("finish").map((one) => ({
          name: `kept ${one.name}`,
          title: one.name,
          picture: kept.picture(one),
          act: () => {
            const own = one.content as Record<string, unknown>;
            put(valuesPath.value, at.value >= 0 ? own : { ...own, named: "" }, `${props.label}: ${one.name}`);
          },
        })),
        ...(shot.looking
          ? []
          : [{ name: "keep", title: "Keep these values …", note: "For all shots of the project", act: keepIt }]),
      ],
    },
    {
      title: named ? `Instead of the values of ${named}` : "Ready-made values",
      items: (offers.value?.finishes ?? []).map((one) => ({
        ...one,
        act: () =>
          put(
            valuesPath.value,
            at.value >= 0 ? one.values : { ...one.values, named: "" },
            `${props.label}: ${one.title}`,
          ),
      })),
    },
  ].filter((group) => group.items.length);
});

/** Once the menu is gone, which takes the keys with it. */
function keepIt() {
  window.setTimeout(() => (keeping.value = true));
}
/** Edits of a value here and, if it is this surface's own, of the same value of those that stay like it. */
function everywhere(path: string, value: unknown): Record<string, unknown> {
  const edits: Record<string, unknown> = { [path]: value };
  if (path.startsWith(props.path))
    for (const other of props.also ?? []) edits[other + path.slice(props.path.length)] = value;
  return edits;
}
function put(path: string, value: unknown, what: string) {
  shot.editMany(everywhere(path, value), what);
}
function update(path: string, value: unknown) {
  for (const [at, one] of Object.entries(everywhere(path, value))) shot.edit(at, one, false);
}
function removeTone(path: string, at: number) {
  let document = shot.draft;
  if (!document) return;
  const edits: Record<string, unknown> = {};
  for (const own of Object.keys(everywhere(path, null))) {
    const found = withoutMember(document, own, at);
    // The first tone holds from no light on.
    found[own] = (found[own] as { above: number }[]).map((tone, index) => (index ? tone : { ...tone, above: 0 }));
    for (const [inner, value] of Object.entries(found)) document = withValue(document, inner, value);
    Object.assign(edits, found);
  }
  shot.editMany(edits, `${props.label} tones`);
}
function usedBy(number: number) {
  return number === 0 ? "used nowhere" : number === 1 ? "1 surface" : `${number} surfaces`;
}
function share() {
  if (!shot.draft) return;
  const edits: Record<string, unknown> = shareEdits(shot.draft, props.path, props.value, `${props.label} finish`);
  for (const other of props.also ?? []) edits[`${other}.named`] = edits[`${props.path}.named`];
  shot.editMany(edits, "Share a finish");
}
function unshare() {
  put(props.path, { ...bare(values.value), named: "" }, `${props.label}: own values`);
}
function rename(name: string) {
  const wanted = name.trim();
  if (shot.draft && wanted && props.value.named && !shared.value.some((one) => one.name === wanted))
    shot.editMany(renameEdits(shot.draft, props.value.named, wanted), `Rename finish to ${wanted}`);
}
const nameProblem = computed(() => shot.problems[`finishes.${at.value}.name`]);
function most(field: FieldPlan) {
  return field.schema.maxItems ?? 5;
}
</script>

<template>
  <fieldset class="grid gap-1.5 border-l-2 border-line pl-2">
    <legend class="sr-only">{{ label }}</legend>
    <div class="flex items-baseline justify-between gap-2">
      <span class="font-semibold" aria-hidden="true">{{ label }}</span>
      <AddMenu :label="`${label}: ${value.named || 'Own values'}, choose a finish`" :groups @pick="$event.act()">
        <template #button>
          {{ value.named || "Own values" }} <span aria-hidden="true" class="text-2xs text-soft">▾</span>
        </template>
      </AddMenu>
    </div>
    <template v-if="value.named">
      <TextField label="Name of the shared finish" :model-value="value.named" :error="nameProblem" @commit="rename" />
      <p class="text-soft">Changes here change all {{ usedBy(count) }} that share it.</p>
    </template>
    <SchemaForm
      :schema
      :root
      :value="values"
      :path="valuesPath"
      :problems="shot.problems"
      :skip="value.named ? [] : (schema['x-without'] ?? [])"
      :sections="false"
      @update="update"
      @commit="(at, inner, what) => put(at, inner, `${label} ${what.toLowerCase()}`)"
    >
      <template #texture="{ field, value: texture, path: texturePath, error }">
        <TextureField
          :label="field.title"
          :model-value="texture as string"
          :help="field.help"
          :error
          @commit="put(texturePath, $event, `${label} ${field.title.toLowerCase()}`)"
        />
      </template>
      <template #tones="{ field, value: tones, path: tonesPath, error }">
        <TonesField
          :model-value="tones as { above: number; colour: string }[]"
          :most="most(field)"
          :help="field.help"
          :path="tonesPath"
          :error
          :problems="shot.problems"
          @update="update"
          @commit="(at, inner) => put(at, inner, `${label} tones`)"
          @remove="removeTone(tonesPath, $event)"
        />
      </template>
    </SchemaForm>
    <KeepDialog
      :open="keeping"
      kind="finish"
      :what="`The finish of ${label.toLowerCase()}`"
      :suggested="value.named || label"
      :content="bare(values)"
      @close="keeping = false"
    />
    <p v-if="shot.problems[valuesPath]" class="text-now" role="alert">✕ {{ shot.problems[valuesPath] }}</p>
  </fieldset>
</template>
