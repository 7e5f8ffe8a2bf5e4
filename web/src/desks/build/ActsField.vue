<script setup lang="ts">
/** Acts of a puppet: poses one after the other, placed on the sheet, on top of its keys. */
import { X } from "@lucide/vue";
import { computed } from "vue";

import type { JsonSchema } from "@/api/offers";
import { resolveRef } from "@/controls/fields";
import ListField from "@/controls/ListField.vue";
import NumberField from "@/controls/NumberField.vue";
import PressButton from "@/controls/PressButton.vue";
import SchemaForm from "@/controls/SchemaForm.vue";
import { useShot } from "@/shot/store";

import { atRest, drawn, type Limbs, type NamedPose, poseOf } from "./limbs";

interface Act {
  name: string;
  steps: { pose: string; at: number }[];
  length: number;
  [key: string]: unknown;
}
const props = defineProps<{
  schema: JsonSchema;
  root: JsonSchema;
  modelValue: Act[];
  path: string;
  poses: NamedPose[];
  limbs: Limbs;
  error?: string | undefined;
}>();
const shot = useShot();
const item = computed(() => resolveRef(props.schema.items ?? {}, props.root));
const poses = computed(() => [
  { name: "", title: "As drawn" },
  ...props.poses.map((one) => ({ name: one.name, title: one.name })),
]);

function put(acts: Act[], what: string) {
  shot.edit(props.path, acts, true, what);
}
function changed(at: number, act: Partial<Act>) {
  return props.modelValue.map((one, index) => (index === at ? ({ ...one, ...act } as Act) : one));
}
function add() {
  const length = 24;
  const all = [...props.poses.map((one) => one.name), ""].slice(0, 4);
  const steps = all.map((pose, at) => ({ pose, at: Math.round((at * length) / all.length) }));
  const act = { ...atRest(item.value), name: `Act ${props.modelValue.length + 1}`, steps, length, start: shot.frame };
  // An act comes on top of how parts stand: a pose that was just kept would be there twice.
  const kept = props.poses.some((pose) => same(pose.limbs, poseOf(props.limbs)));
  const limbs = kept ? { [props.path.replace(/acts$/, "limbs")]: drawn(props.limbs) } : {};
  shot.editMany({ [props.path]: [...props.modelValue, act], ...limbs }, `Add ${act.name}`);
}
function same(one: unknown, other: unknown) {
  return JSON.stringify(one) === JSON.stringify(other);
}
function addStep(at: number, act: Act) {
  const last = Math.max(-1, ...act.steps.map((one) => one.at));
  const next = Math.min(last + Math.max(1, Math.round(act.length / 8)), act.length - 1);
  const free = act.steps.some((one) => one.at === next) ? last + 1 : next;
  const length = Math.max(act.length, free + 1);
  put(
    changed(at, { length, steps: [...act.steps, { pose: poses.value.at(-1)?.name ?? "", at: free }] }),
    `${act.name}: one pose more`,
  );
}
function setStep(at: number, act: Act, step: number, values: Partial<Act["steps"][number]>) {
  const steps = act.steps.map((one, index) => (index === step ? { ...one, ...values } : one));
  put(changed(at, { steps }), `${act.name}: pose ${step + 1}`);
}
</script>

<template>
  <div class="grid gap-3">
    <fieldset v-for="(act, at) in modelValue" :key="at" class="grid gap-1.5 border-l-2 border-line pl-2">
      <legend class="flex w-full items-center gap-1.5">
        <input
          class="min-w-0 flex-1 rounded-sm border border-transparent bg-transparent px-1 py-0.5 font-semibold hover:border-rule"
          :value="act.name"
          :aria-label="`Name of ${act.name}`"
          @change="put(changed(at, { name: ($event.target as HTMLInputElement).value || act.name }), 'Rename an act')"
        />
        <button
          type="button"
          class="p-0.5"
          :aria-label="`Delete ${act.name}`"
          @click="
            put(
              modelValue.filter((_, index) => index !== at),
              `Delete ${act.name}`,
            )
          "
        >
          <X :size="14" aria-hidden="true" />
        </button>
      </legend>
      <ol class="grid gap-1">
        <li v-for="(step, number) in act.steps" :key="number" class="flex items-end gap-1.5">
          <ListField
            class="min-w-0 flex-1"
            :label="`Pose ${number + 1}`"
            :model-value="step.pose"
            :options="poses"
            @commit="setStep(at, act, number, { pose: $event })"
          />
          <NumberField
            class="w-20"
            label="after"
            unit="fr"
            whole
            :min="0"
            :model-value="step.at"
            @commit="setStep(at, act, number, { at: $event })"
          />
          <button
            type="button"
            class="p-1"
            :aria-label="`Pose ${number + 1} out of ${act.name}`"
            @click="
              put(
                changed(at, { steps: act.steps.filter((_, index) => index !== number) }),
                `${act.name}: one pose less`,
              )
            "
          >
            <X :size="12" aria-hidden="true" />
          </button>
        </li>
      </ol>
      <PressButton class="justify-self-start" @click="addStep(at, act)">One pose more</PressButton>
      <SchemaForm
        :schema="item"
        :root
        :value="act"
        :path="`${path}.${at}`"
        :problems="shot.problems"
        :skip="['name', 'steps']"
        :sections="false"
        @update="(to, inner) => shot.edit(to, inner, false)"
        @commit="(to, inner, what) => shot.edit(to, inner, true, `${act.name} ${what.toLowerCase()}`)"
      />
      <p v-if="shot.problems[`${path}.${at}.steps`]" class="text-now" role="alert">
        ✕ {{ shot.problems[`${path}.${at}.steps`] }}
      </p>
    </fieldset>
    <PressButton class="justify-self-start" :disabled="!props.poses.length" @click="add">Add an act</PressButton>
    <p v-if="!props.poses.length" class="text-soft">An act plays poses: keep at least one pose first.</p>
    <p v-if="error" class="text-now" role="alert">✕ {{ error }}</p>
  </div>
</template>
