<script setup lang="ts">
/** The settings of what is selected in the set: a form made from the document's schema. */
import { computed, provide, ref } from "vue";

import { type JsonSchema, useOffers } from "@/api/offers";
import { useLibrary } from "@/api/library";
import { isMeant, planFields, resolveRef, schemaOfKind } from "@/controls/fields";
import { KEY_MARK } from "@/controls/keys";
import ListField from "@/controls/ListField.vue";
import SchemaForm from "@/controls/SchemaForm.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import TextField from "@/controls/TextField.vue";
import type { Element } from "@/shot/document";
import { groupsAround } from "@/shot/groups";
import KeyMark from "@/shot/KeyMark.vue";
import { useShot } from "@/shot/store";

import { outOfOthers, withMembers } from "./elements";
import FileField from "@/files/FileField.vue";
import { unshared } from "./finishes";
import FontField from "./FontField.vue";
import ActsField from "./ActsField.vue";
import ClipsField from "./ClipsField.vue";
import DrawnField from "./DrawnField.vue";
import HiddenParts from "./HiddenParts.vue";
import LimbsField from "./LimbsField.vue";
import PosesField from "./PosesField.vue";
import KeepDialog from "@/shot/KeepDialog.vue";
import OwnFinishes from "./OwnFinishes.vue";
import PaletteField from "./PaletteField.vue";
import SkyField from "./SkyField.vue";
import StrokesField from "./StrokesField.vue";
import SurroundingsField from "./SurroundingsField.vue";
import TargetsField from "./TargetsField.vue";
import TextureField from "./TextureField.vue";
import TouchField from "./TouchField.vue";
import WholeFinish from "./WholeFinish.vue";

/** ``also``: paths of elements that are selected with it; what is changed in the form changes in all. */
const props = defineProps<{ path: string; also: string[] }>();
const shot = useShot();
provide(KEY_MARK, KeyMark);
const offers = useOffers();
const project = computed(() => shot.meta?.project_id ?? 0);

const value = computed(() => shot.get(props.path) as Record<string, unknown> | undefined);
const root = computed<JsonSchema>(() => offers.value?.schema ?? {});
/** What has its switch in the lists, or its place on another desk. */
const skip = computed(() => (props.path.startsWith("lights.") ? ["on"] : ["shown", "turn"]));
/** Widgets that are one element's own. */
const ALONE = [
  "file",
  "finishes",
  "hides",
  "group",
  "element",
  "clip",
  "limbs",
  "poses",
  "acts",
  "strokes",
  "drawn",
  "clips",
  "targets",
];
/** Of several elements the fields that all of them have, but for those that are one's own. */
const schema = computed<JsonSchema>(() => {
  const own = ownSchema.value;
  if (!props.also.length) return own;
  const others = props.also.map((path) => schemaOfKind(root.value, (shot.get(path) as { kind: string }).kind));
  const shared = Object.entries(own.properties ?? {}).filter(
    ([name, field]) =>
      name !== "name" &&
      !ALONE.includes(field["x-widget"] ?? "") &&
      others.every((other) => {
        const same = other.properties?.[name];
        return same && same.title === field.title && same.type === field.type && same.$ref === field.$ref;
      }),
  );
  return { ...own, properties: Object.fromEntries(shared) };
});
/** Titles of fields in which they differ. */
const differing = computed(() =>
  Object.entries(schema.value.properties ?? {}).flatMap(([name, field]) =>
    props.also.some((path) => JSON.stringify(shot.get(`${path}.${name}`)) !== JSON.stringify(value.value?.[name])) &&
    !skip.value.includes(name) &&
    !["id", "kind"].includes(name)
      ? [resolveRef(field, root.value).title ?? name]
      : [],
  ),
);
/** A change goes to all that are selected, as one step. */
function change(at: string, inner: unknown, commit: boolean, label = "") {
  const rest = at.slice(props.path.length);
  for (const path of props.also) shot.edit(path + rest, inner, false);
  shot.edit(at, inner, commit, label);
}
const ownSchema = computed<JsonSchema>(() => {
  if (/^cameras\.\d+\.camera$/.test(props.path)) return resolveRef(root.value.properties?.camera ?? {}, root.value);
  const kind = value.value?.kind as string | undefined;
  return kind ? schemaOfKind(root.value, kind) : resolveRef(root.value.properties?.[props.path] ?? {}, root.value);
});
const keeping = ref(false);
const keepable = computed(() =>
  props.path.startsWith("elements.")
    ? "element"
    : props.path === "camera" || props.path.startsWith("cameras.")
      ? "camera"
      : null,
);
/** The element with what stands in it, as it holds in another shot, too. */
const together = computed(() => {
  const own = keeping.value && keepable.value === "element" ? shot.draft : null;
  const all = own?.elements ?? [];
  return own
    ? unshared(
        own,
        outOfOthers(
          withMembers(
            all,
            all.filter((one) => one.id === value.value?.id),
          ),
        ),
      )
    : [];
});
/** Groups that the element may stand in: not itself, nor what stands in it. */
const groups = computed(() => {
  const all = shot.draft?.elements ?? [];
  const own = value.value?.id;
  const within = (one: Element) => [one, ...groupsAround(all, one)].some((other) => other.id === own);
  const holding = new Set(offers.value?.element_kinds.filter((one) => one.holds).map((one) => one.name));
  const found = all.filter((one) => holding.has(one.kind) && !within(one));
  return [{ name: "", title: "None" }, ...found.map((one) => ({ name: one.id, title: one.name }))];
});
/** Whose surface something may come from: what is seen itself, has one of its own, and does not stand where this puts it. */
const others = computed(() => {
  const all = shot.draft?.elements ?? [];
  const own = value.value?.id;
  const rests = (kind: string) =>
    Object.values(schemaOfKind(root.value, kind).properties ?? {}).some((field) => field["x-widget"] === "element");
  const seen = new Set(
    (offers.value?.element_kinds ?? []).filter((one) => one.seen && !rests(one.name)).map((one) => one.name),
  );
  const within = (one: Element) => [one, ...groupsAround(all, one)].some((other) => other.id === own);
  const found = all.filter((one) => one.id === value.value?.emitter || (seen.has(one.kind) && !within(one)));
  return [{ name: "", title: "None" }, ...found.map((one) => ({ name: one.id, title: one.name }))];
});
/** What shows only others, and has none: a group, a repeat, a spray of what stands in it. */
const holdsNothing = computed(() => {
  const kind = offers.value?.element_kinds.find((one) => one.name === value.value?.kind);
  const others = !!kind?.holds && (!kind.seen || value.value?.looks === "what stands in it");
  return others && !(shot.draft?.elements ?? []).some((one) => one.inside === value.value?.id);
});
/** Its values, and of each file that it names what kind of file that is (fields may have a meaning for some only). */
const libraries = new Map<string, ReturnType<typeof useLibrary>>();
const known = computed(() => {
  const found: Record<string, unknown> = { ...value.value };
  for (const field of planFields(schema.value, root.value, []).flatMap((group) => group.fields)) {
    const files = field.schema["x-files"];
    if (field.widget !== "file" || !files) continue;
    if (!libraries.has(files)) libraries.set(files, useLibrary(files, project));
    const facts = libraries.get(files)?.factsOf(value.value?.[field.name]);
    found[`${field.name}.kind`] = facts?.kind;
    found[`${field.name}.moves`] = facts?.clips?.length ? "yes" : "no";
  }
  return found;
});
function clipsOf(field: JsonSchema) {
  const files = field["x-files"] ?? "";
  return libraries.get(files)?.factsOf(value.value?.[field["x-of"] ?? ""])?.clips ?? [];
}
function targetsOf(field: JsonSchema) {
  return libraries.get(field["x-files"] ?? "")?.factsOf(value.value?.[field["x-of"] ?? ""])?.targets ?? [];
}
/** Surfaces of an element, each with a finish. */
const parts = computed(() =>
  planFields(schema.value, root.value, skip.value)
    .flatMap((group) => group.fields)
    .filter((field) => field.widget === "finish" && isMeant(field, value.value)),
);
</script>

<template>
  <template v-if="value">
    <SectionBlock v-if="path === 'raster'" title="Names">
      <TextField
        label="Title"
        :model-value="shot.draft!.title"
        :error="shot.problems.title"
        @commit="shot.edit('title', $event, true, 'Title')"
      />
      <TextField
        label="Shot code"
        :model-value="shot.draft!.shot"
        :error="shot.problems.shot"
        @commit="shot.edit('shot', $event, true, 'Shot code')"
      />
      <TextField
        label="Project code"
        :model-value="shot.draft!.project"
        :error="shot.problems.project"
        @commit="shot.edit('project', $event, true, 'Project code')"
      />
    </SectionBlock>
    <p v-if="holdsNothing" class="border-b border-line px-3 py-2 text-soft">
      Nothing stands in it yet: choose it at “Inside the group” in the form of another element.
    </p>
    <p v-if="also.length" class="border-b border-line px-3 py-2">
      {{ also.length + 1 }} elements: what is changed here changes in all of them.
      <span v-if="differing.length" class="text-soft">They differ in {{ differing.join(", ").toLowerCase() }}.</span>
    </p>
    <SchemaForm
      :schema
      :root
      :value
      :known
      :path
      :problems="shot.problems"
      :skip="skip"
      @update="(at, inner) => change(at, inner, false)"
      @commit="(at, inner, label) => change(at, inner, true, label)"
    >
      <template #font="{ value: font, path: at, error, field }">
        <FontField
          :label="field.title"
          :none="field.schema['x-none']"
          :model-value="font as string"
          :error
          @commit="change(at, $event, true, field.title)"
        />
      </template>
      <template #file="{ value: file, path: at, error, field }">
        <FileField
          :label="field.title"
          :kind="field.schema['x-files'] ?? ''"
          :model-value="file as string"
          :error
          @commit="shot.edit(at, $event, true, field.title)"
        />
      </template>
      <template #finishes="{ value: own, path: at, error, field }">
        <OwnFinishes
          :label="field.title"
          :help="field.help"
          :schema="field.schema"
          :root
          :model-value="own as never"
          :path="at"
          :kind="field.schema['x-files'] ?? ''"
          :file="value[field.schema['x-of'] ?? ''] as string"
          :error
          :element="value"
        />
      </template>
      <template #hides="{ value: hidden, path: at, error, field }">
        <HiddenParts
          :label="field.title"
          :model-value="hidden as string[]"
          :kind="field.schema['x-files'] ?? ''"
          :file="value[field.schema['x-of'] ?? ''] as string"
          :error
          @commit="(parts, what) => shot.edit(at, parts, true, what)"
        />
      </template>
      <template #clip="{ value: clip, path: at, error, field }">
        <ListField
          v-if="clipsOf(field.schema).length || clip"
          :label="field.title"
          :model-value="clip as string"
          :options="[
            { name: '', title: 'None', note: 'as the file has it' },
            ...clipsOf(field.schema).map((one) => ({ name: one.name, title: one.name, note: `${one.seconds} s` })),
          ]"
          :error
          @commit="change(at, $event, true, field.title)"
        />
        <p v-else class="text-soft">This file has no clips.</p>
      </template>
      <template #limbs="{ value: limbs, path: at, field }">
        <LimbsField
          :schema="field.schema"
          :root
          :model-value="limbs as never"
          :path="at"
          :file="value[field.schema['x-of'] ?? ''] as string"
        />
      </template>
      <template #clips="{ value: clips, path: at, field, error }">
        <ClipsField
          :schema="field.schema"
          :root
          :model-value="(clips ?? []) as never"
          :path="at"
          :clips="clipsOf(field.schema)"
          :error
        />
      </template>
      <template #targets="{ value: shapes, path: at, field }">
        <TargetsField
          :schema="field.schema"
          :root
          :model-value="(shapes ?? {}) as never"
          :path="at"
          :targets="targetsOf(field.schema)"
        />
      </template>
      <template #strokes="{ path: at, error }">
        <StrokesField :element="value" :path="at" :error />
      </template>
      <template #drawn="{ value: drawn, path: at, error }">
        <DrawnField :id="value.id as string" :model-value="drawn as never" :path="at" :error />
      </template>
      <template #poses="{ value: poses, path: at, error }">
        <PosesField :model-value="poses as never" :path="at" :error :element="value" />
      </template>
      <template #acts="{ value: acts, path: at, field, error }">
        <ActsField
          :schema="field.schema"
          :root
          :model-value="acts as never"
          :path="at"
          :poses="value.poses as never"
          :limbs="value.limbs as never"
          :error
        />
      </template>
      <template #group="{ value: group, path: at, error, field }">
        <ListField
          v-if="groups.length > 1"
          :label="field.title"
          :model-value="group as string"
          :options="groups"
          :error
          @commit="shot.edit(at, $event, true, field.title)"
        />
      </template>
      <template #element="{ value: other, path: at, error, field }">
        <ListField
          :label="field.title"
          :model-value="other as string"
          :options="others"
          :error
          @commit="shot.edit(at, $event, true, field.title)"
        />
      </template>
      <template #texture="{ value: picture, path: at, error, field }">
        <TextureField
          :label="field.title"
          :model-value="picture as string"
          :help="field.help"
          :error
          @commit="change(at, $event, true, field.title)"
        />
      </template>
      <template #sky="{ value: picture, path: at, error, field }">
        <SkyField
          :model-value="picture as string"
          :error
          :help="field.help"
          @commit="shot.edit(at, $event, true, 'Picture of the surroundings')"
        />
      </template>
      <template #finish="{ field }">
        <WholeFinish v-if="field.name === parts[0]?.name" :path :parts :root :value :others="also" />
      </template>
      <template #surroundings="{ value: source, path: at, error, field }">
        <SurroundingsField :label="field.title" :model-value="source as string" :path="at" :error />
      </template>
      <template #palette="{ value: colours, path: at, error, field }">
        <PaletteField
          :label="field.title"
          :help="field.help"
          :model-value="colours as string[]"
          :error
          @update="shot.edit(at, $event, false)"
          @commit="shot.edit(at, $event, true, field.title)"
        />
      </template>
      <template #elements="{ value: chosen, path: at, error, field }">
        <TouchField
          :label="field.title"
          :help="field.help"
          :model-value="chosen as string[]"
          :error
          @commit="shot.edit(at, $event, true, field.title)"
        />
      </template>
    </SchemaForm>
    <p v-if="keepable && !also.length && !shot.looking" class="px-3 py-2">
      <button type="button" class="text-select-ink underline underline-offset-2" @click="keeping = true">
        Keep it in the project …
      </button>
    </p>
    <KeepDialog
      v-if="keepable"
      :open="keeping"
      :kind="keepable"
      :what="
        keepable === 'camera'
          ? 'This camera'
          : together.length > 1
            ? `This group and the ${together.length - 1} elements in it`
            : 'This element'
      "
      :suggested="keepable === 'camera' ? 'Camera' : String(value.name ?? '')"
      :content="keepable === 'camera' ? value : together"
      @close="keeping = false"
    />
    <p v-if="shot.problems[path]" class="px-3 pb-2 text-now" role="alert">✕ {{ shot.problems[path] }}</p>
  </template>
</template>
