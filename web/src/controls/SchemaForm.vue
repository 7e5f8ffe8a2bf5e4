<script setup lang="ts">
/** A form made from a part's JSON schema: a new element kind brings its fields without a line of code here. */
import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/vue";
import { computed, inject } from "vue";

import type { JsonSchema } from "@/api/offers";

import ChoiceField from "./ChoiceField.vue";
import ColourField from "./ColourField.vue";
import { type FieldPlan, isMeant, planFields } from "./fields";
import { KEY_MARK } from "./keys";
import ListField from "./ListField.vue";
import NumberField from "./NumberField.vue";
import SectionBlock from "./SectionBlock.vue";
import SliderField from "./SliderField.vue";
import SwitchField from "./SwitchField.vue";
import TextField from "./TextField.vue";
import VectorField from "./VectorField.vue";

const props = withDefaults(
  defineProps<{
    schema: JsonSchema;
    root: JsonSchema;
    value: Record<string, unknown>;
    path: string;
    problems: Record<string, string>;
    skip?: string[];
    /** Values that decide which fields have a meaning, if they are more than the part's own. */
    known?: Record<string, unknown> | undefined;
    sections?: boolean;
    /** Show only the fields folded under this title. */
    fold?: string;
  }>(),
  { skip: () => [], known: undefined, sections: true, fold: "" },
);
const emit = defineEmits<{
  update: [path: string, value: unknown];
  commit: [path: string, value: unknown, label: string];
}>();

interface Slotted {
  field: FieldPlan;
  value: unknown;
  path: string;
  error: string | undefined;
}
/** A slot named after a widget shows the fields that ask for it. */
defineSlots<Record<string, (slotted: Slotted) => unknown>>();

const planned = computed(() =>
  planFields(props.schema, props.root, ["kind", "id", ...props.skip]).map((group) => ({
    ...group,
    fields: group.fields.filter((field) => field.widget !== "hidden" && isMeant(field, props.known ?? props.value)),
  })),
);
const groups = computed(() =>
  planned.value
    .map((group) => ({ ...group, fields: group.fields.filter((field) => field.fold === props.fold) }))
    .filter((group) => group.fields.length),
);
/** Titles of what is folded away, with the number of fields there that differ from what they are at first. */
const folds = computed(() => {
  const found = new Map<string, number>();
  for (const field of props.fold ? [] : planned.value.flatMap((group) => group.fields)) {
    if (!field.fold) continue;
    const differs = props.value[field.name] !== field.initial ? 1 : 0;
    found.set(field.fold, (found.get(field.fold) ?? 0) + differs);
  }
  return [...found].map(([title, changed]) => ({ title, changed }));
});

const mark = inject(KEY_MARK, null);

function full(field: FieldPlan) {
  return `${props.path}.${field.name}`;
}
function valueOf<T>(field: FieldPlan) {
  // What documents name only where it differs is as it is at first.
  return (props.value[field.name] ?? field.initial) as T;
}
function update(field: FieldPlan, value: unknown) {
  emit("update", full(field), value);
}
function commit(field: FieldPlan, value: unknown) {
  emit("commit", full(field), value, field.title);
}
</script>

<template>
  <component
    :is="sections ? SectionBlock : 'div'"
    v-for="group in groups"
    :key="group.title"
    :title="group.title"
    :class="sections ? '' : 'grid gap-2'"
  >
    <template v-for="field in group.fields" :key="field.name">
      <div class="relative empty:hidden">
        <component :is="mark" v-if="mark && field.widget !== 'part'" :path="full(field)" :title="field.title" />
        <!-- What a slot shows nothing for is not shown: its own content would be. -->
        <slot
          v-if="$slots[field.widget]"
          :name="field.widget"
          :field
          :value="value[field.name]"
          :path="full(field)"
          :error="problems[full(field)]"
        />
        <template v-else>
          <SliderField
            v-if="field.widget === 'slider'"
            :label="field.title"
            :model-value="valueOf<number>(field)"
            :range="field.slider!"
            v-bind="field.number"
            :initial="field.initial as number"
            :error="problems[full(field)]"
            @update="update(field, $event)"
            @commit="commit(field, $event)"
          />
          <NumberField
            v-else-if="field.widget === 'number'"
            :label="field.title"
            :model-value="valueOf<number>(field)"
            v-bind="field.number"
            :initial="field.initial as number"
            :error="problems[full(field)]"
            @update="update(field, $event)"
            @commit="commit(field, $event)"
          />
          <VectorField
            v-else-if="field.widget === 'vector'"
            :label="field.title"
            :model-value="valueOf<number[]>(field)"
            :unit="field.number.unit"
            :step="field.number.step"
            :initial="field.initial as number[]"
            :error="problems[full(field)]"
            @update="update(field, $event)"
            @commit="commit(field, $event)"
          />
          <ColourField
            v-else-if="field.widget === 'colour'"
            :label="field.title"
            :model-value="valueOf<string>(field)"
            :initial="field.initial as string"
            :error="problems[full(field)]"
            @update="update(field, $event)"
            @commit="commit(field, $event)"
          />
          <SwitchField
            v-else-if="field.widget === 'switch'"
            :label="field.title"
            :model-value="valueOf<boolean>(field)"
            :help="field.help"
            @commit="commit(field, $event)"
          />
          <ChoiceField
            v-else-if="field.widget === 'choice'"
            :label="field.title"
            :model-value="valueOf<string>(field)"
            :options="field.options"
            :initial="field.initial as string"
            :error="problems[full(field)]"
            @commit="commit(field, $event)"
          />
          <ListField
            v-else-if="field.widget === 'list'"
            :label="field.title"
            :model-value="valueOf<string>(field)"
            :options="field.options"
            :error="problems[full(field)]"
            @commit="commit(field, $event)"
          />
          <fieldset v-else-if="field.widget === 'part'" class="grid gap-1.5 border-l-2 border-line pl-2">
            <legend class="mb-0.5 font-semibold" :class="{ 'sr-only': group.fields.length === 1 }">
              {{ field.title }}
            </legend>
            <SchemaForm
              :schema="field.schema"
              :root
              :value="valueOf<Record<string, unknown>>(field)"
              :path="full(field)"
              :problems
              :sections="false"
              @update="(path, inner) => emit('update', path, inner)"
              @commit="(path, inner, label) => emit('commit', path, inner, `${field.title} ${label.toLowerCase()}`)"
            />
          </fieldset>
          <TextField
            v-else
            :label="field.title"
            :model-value="valueOf<string>(field)"
            :lines="field.widget === 'lines'"
            :large="field.widget === 'lines'"
            :error="problems[full(field)]"
            @update="update(field, $event)"
            @commit="commit(field, $event)"
          />
        </template>
      </div>
    </template>
  </component>
  <Disclosure v-for="one in folds" :key="one.title" as="div">
    <DisclosureButton class="text-select-ink underline underline-offset-2">
      {{ one.title }}{{ one.changed ? ` (${one.changed} set)` : " …" }}
    </DisclosureButton>
    <DisclosurePanel class="grid gap-2 pt-2">
      <SchemaForm
        :schema
        :root
        :value
        :path
        :problems
        :skip
        :known
        :sections="false"
        :fold="one.title"
        @update="(at, inner) => emit('update', at, inner)"
        @commit="(at, inner, label) => emit('commit', at, inner, label)"
      >
        <template v-for="(_, name) in $slots" :key="name" #[name]="slotted">
          <slot :name="name" v-bind="slotted" />
        </template>
      </SchemaForm>
    </DisclosurePanel>
  </Disclosure>
</template>
