<script setup lang="ts">
/** What a file has of finishes (colours of a drawing, materials of a model): each as the file has it, or one of its own. */
import { X } from "@lucide/vue";
import { computed, ref } from "vue";

import { useLibrary } from "@/api/library";
import type { JsonSchema } from "@/api/offers";
import { planFields, resolveRef } from "@/controls/fields";
import SchemaForm from "@/controls/SchemaForm.vue";
import { withoutMember } from "@/shot/moves";
import { useShot } from "@/shot/store";

import FinishField from "./FinishField.vue";
import type { FinishValues } from "./finishes";

interface Own {
  finish: FinishValues;
  [key: string]: unknown;
}
const props = defineProps<{
  label: string;
  help?: string | undefined;
  error?: string | undefined;
  schema: JsonSchema;
  root: JsonSchema;
  modelValue: Own[];
  path: string;
  kind: string;
  file: string;
  element: Record<string, unknown>;
}>();
const shot = useShot();
const project = computed(() => shot.meta?.project_id ?? 0);
const library = useLibrary(props.kind, project);

const item = computed(() => resolveRef(props.schema.items ?? {}, props.root));
const fields = computed(() => planFields(item.value, props.root, ["finish"]).flatMap((group) => group.fields));
/** The field that names the file's own finish. */
const key = computed(() => fields.value.find((field) => field.widget === "hidden")?.name ?? "");
const finish = computed(() => resolveRef(item.value.properties?.finish ?? {}, props.root));
/** Those of the file, and those that something was chosen for in another file. */
const rows = computed(() => {
  const own = props.modelValue.map((one) => one[key.value] as string);
  const here = library.factsOf(props.file)?.finishes ?? [];
  const gone = own.filter((name) => !here.some((one) => one.name === name));
  return [
    ...here.map((one) => ({ ...one, at: own.indexOf(one.name), here: true })),
    ...gone.map((name) => ({ name, colour: "", values: {}, at: own.indexOf(name), here: false })),
  ];
});
/** More than these are seen only when they are asked for. */
const FEW = 12;
const whole = ref(false);
const seen = computed(() => rows.value.filter((row, number) => whole.value || number < FEW || row.at >= 0));

function give(row: { name: string; values: Record<string, unknown> }) {
  const surface = props.element.surface as FinishValues;
  const own: Own = { [key.value]: row.name, finish: { ...surface, ...row.values, named: "" } };
  // What the whole element says, where it says something of that name.
  for (const field of fields.value)
    if (field.name !== key.value) own[field.name] = props.element[field.name] ?? field.initial;
  shot.edit(props.path, [...props.modelValue, own], true, `A finish for ${row.name}`);
}
function take(at: number) {
  if (!shot.draft) return;
  shot.editMany(
    withoutMember(shot.draft, props.path, at),
    `${String(props.modelValue[at]?.[key.value])} as the file has it`,
  );
}
</script>

<template>
  <fieldset class="grid gap-1.5">
    <legend class="sr-only">{{ label }}</legend>
    <p class="text-soft">{{ help }}</p>
    <div v-for="row in seen" :key="row.name" class="grid gap-1.5">
      <div class="flex items-center gap-2">
        <span
          class="size-4 shrink-0 rounded-sm border border-rule"
          :style="{ backgroundColor: row.colour || 'transparent' }"
          aria-hidden="true"
        />
        <span class="truncate tabular-nums">{{ row.name }}</span>
        <span v-if="!row.here" class="text-soft">not in this file</span>
        <button
          v-if="row.at < 0"
          type="button"
          class="ml-auto text-select-ink underline underline-offset-2"
          :aria-label="`A finish of its own for ${row.name}`"
          @click="give(row)"
        >
          Its own …
        </button>
        <button
          v-else
          type="button"
          class="ml-auto p-0.5"
          :aria-label="`${row.name} as the file has it`"
          title="As the file has it"
          @click="take(row.at)"
        >
          <X :size="14" aria-hidden="true" />
        </button>
      </div>
      <div v-if="row.at >= 0" class="grid gap-2 border-l-2 border-line pl-2">
        <SchemaForm
          :schema="item"
          :root
          :value="modelValue[row.at]!"
          :path="`${path}.${row.at}`"
          :problems="shot.problems"
          :skip="[key, 'finish']"
          :sections="false"
          @update="(to, inner) => shot.edit(to, inner, false)"
          @commit="(to, inner, what) => shot.edit(to, inner, true, `${row.name} ${what.toLowerCase()}`)"
        />
        <FinishField
          :label="`Finish of ${row.name}`"
          :schema="finish"
          :root
          :value="modelValue[row.at]!.finish"
          :path="`${path}.${row.at}.finish`"
        />
      </div>
    </div>
    <button
      v-if="seen.length < rows.length || (whole && rows.length > FEW)"
      type="button"
      class="justify-self-start text-select-ink underline underline-offset-2"
      @click="whole = !whole"
    >
      {{ whole ? "Show fewer" : `Show all ${rows.length}` }}
    </button>
    <p v-if="!rows.length" class="text-soft">The file has none.</p>
    <p v-if="error" class="text-now" role="alert">✕ {{ error }}</p>
  </fieldset>
</template>
