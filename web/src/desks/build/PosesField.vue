<script setup lang="ts">
/** Poses of a puppet under names: kept as it stands, taken again, with keys if wanted. */
import { X } from "@lucide/vue";
import { computed, ref } from "vue";

import PressButton from "@/controls/PressButton.vue";
import TextField from "@/controls/TextField.vue";
import { useShot } from "@/shot/store";

import { type Limbs, type NamedPose, poseOf, taken } from "./limbs";

const props = defineProps<{
  modelValue: NamedPose[];
  path: string;
  element: Record<string, unknown>;
  error?: string | undefined;
}>();
const shot = useShot();
const limbs = computed(() => (props.element.limbs ?? {}) as Limbs);
const limbsPath = computed(() => props.path.replace(/poses$/, "limbs"));
const now = computed(() => poseOf(limbs.value));
const name = ref("");
const failure = ref("");

function freeName() {
  for (let number = 1; ; number += 1) {
    const one = `Pose ${number}`;
    if (!props.modelValue.some((pose) => pose.name === one)) return one;
  }
}
function keep() {
  const called = name.value.trim() || freeName();
  const others = props.modelValue.filter((one) => one.name !== called);
  shot.edit(props.path, [...others, { name: called, limbs: now.value }], true, `Keep the pose ${called}`);
  name.value = "";
}
async function take(pose: NamedPose, keys: boolean) {
  failure.value = "";
  const values = taken(pose, limbs.value, limbsPath.value);
  if (Object.keys(values).length) shot.editMany(values, `Take the pose ${pose.name}`);
  if (!keys) return;
  // All that any pose moves, or one that is not named in this one would drift to the next.
  const all = props.modelValue.flatMap((one) =>
    Object.entries(one.limbs).flatMap(([code, stance]) => Object.keys(stance).map((field) => `${code}.${field}`)),
  );
  const tracks = [...new Set(all)].map((one) => `${limbsPath.value}.${one}`);
  if (tracks.length && !(await shot.retime("key", { tracks, first: shot.frame }, `Keys of the pose ${pose.name}`)))
    failure.value = shot.retimeNote;
}
function rename(pose: NamedPose, called: string) {
  const free = called.trim();
  if (!free || free === pose.name) return;
  if (props.modelValue.some((one) => one.name === free)) {
    failure.value = `There is a pose ${free} already.`;
    return;
  }
  const acts = (props.element.acts ?? []) as { steps: { pose: string }[] }[];
  shot.editMany(
    {
      [props.path]: props.modelValue.map((one) => (one === pose ? { ...one, name: free } : one)),
      [props.path.replace(/poses$/, "acts")]: acts.map((act) => ({
        ...act,
        steps: act.steps.map((step) => (step.pose === pose.name ? { ...step, pose: free } : step)),
      })),
    },
    `Rename the pose ${pose.name}`,
  );
}
function remove(pose: NamedPose) {
  const acts = (props.element.acts ?? []) as { name: string; steps: { pose: string }[] }[];
  const used = acts.filter((act) => act.steps.some((step) => step.pose === pose.name));
  if (used.length) {
    failure.value = `${used.map((act) => act.name).join(", ")} needs ${pose.name}.`;
    return;
  }
  shot.edit(
    props.path,
    props.modelValue.filter((one) => one !== pose),
    true,
    `Delete the pose ${pose.name}`,
  );
}
</script>

<template>
  <div class="grid min-w-0 grid-cols-1 gap-1.5">
    <ul v-if="modelValue.length" class="grid gap-1">
      <li v-for="pose in modelValue" :key="pose.name" class="flex min-w-0 items-center gap-1.5">
        <input
          class="min-w-0 flex-1 rounded-sm border border-transparent bg-transparent px-1 py-0.5 hover:border-rule"
          :value="pose.name"
          :aria-label="`Name of the pose ${pose.name}`"
          @change="rename(pose, ($event.target as HTMLInputElement).value)"
        />
        <PressButton :aria-label="`Take ${pose.name}`" @click="take(pose, false)">Take</PressButton>
        <PressButton
          :aria-label="`Take ${pose.name} with keys`"
          :title="`Keys at frame ${shot.frame} for all that poses move`"
          @click="take(pose, true)"
          >Keys</PressButton
        >
        <button type="button" class="p-0.5" :aria-label="`Delete ${pose.name}`" @click="remove(pose)">
          <X :size="14" aria-hidden="true" />
        </button>
      </li>
    </ul>
    <p v-else class="text-soft">Turn parts, then keep how they stand under a name.</p>
    <div class="flex items-end gap-1.5">
      <TextField
        class="flex-1"
        label="Keep this pose as"
        :model-value="name"
        @update="name = $event"
        @commit="name = $event"
      />
      <PressButton @click="keep">Keep</PressButton>
    </div>
    <p v-if="failure || error" class="text-now" role="alert">✕ {{ failure || error }}</p>
  </div>
</template>
