<script setup lang="ts">
/** A form made from a part's JSON schema: a new element kind brings its fields without a line of code here. */
import { computed } from "vue";

import type { JsonSchema } from "@/api/offers";

import ChoiceField from "./ChoiceField.vue";
import ColourField from "./ColourField.vue";
import { type FieldPlan, planFields } from "./fields";
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
    sections?: boolean;
  }>(),
  { skip: () => [], sections: true },
);
const emit = defineEmits<{
  update: [path: string, value: unknown];
  commit: [path: string, value: unknown, label: string];
}>();

function meant(field: FieldPlan) {
  return Object.entries(field.when ?? {}).every(([name, value]) =>
    [value].flat().includes(props.value[name] as string),
  );
}
const groups = computed(() =>
  planFields(props.schema, props.root, ["kind", "id", ...props.skip])
    .map((group) => ({ ...group, fields: group.fields.filter((field) => field.widget !== "hidden" && meant(field)) }))
    .filter((group) => group.fields.length),
);

function full(field: FieldPlan) {
  return `${props.path}.${field.name}`;
}
function valueOf<T>(field: FieldPlan) {
  return props.value[field.name] as T;
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
      <slot :name="field.widget" :field :value="value[field.name]" :path="full(field)" :error="problems[full(field)]">
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
      </slot>
    </template>
  </component>
</template>
