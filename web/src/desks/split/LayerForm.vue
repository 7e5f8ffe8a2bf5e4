<script setup lang="ts">
/** What one layer is called, seen through, made at and told to its receiver. */
import { computed } from "vue";

import ChoiceField from "@/controls/ChoiceField.vue";
import NumberField from "@/controls/NumberField.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import TextField from "@/controls/TextField.vue";
import { cameraNames } from "@/shot/cameras";
import type { Layer } from "@/shot/document";
import { useShot } from "@/shot/store";

import BackdropFields from "./BackdropFields.vue";

const props = defineProps<{ layer: Layer; at: number }>();
const emit = defineEmits<{ renamed: [name: string] }>();
const shot = useShot();
const path = computed(() => `layers.${props.at}`);
const cameras = computed(() => [
  { name: "", title: `The one in view: ${shot.draft?.view ?? ""}` },
  ...(shot.draft ? cameraNames(shot.draft) : []).map((name) => ({ name, title: name })),
]);
const SAMPLES = ["", "4", "16", "64"].map((name) => ({ name, title: name || "The shot’s" }));
const FILTERS = [
  { name: "", title: "The shot’s" },
  ...["box", "triangle", "Gaussian", "Blackman-Harris"].map((name) => ({ name, title: name })),
];
const own = computed(() => props.layer.samples !== "" || props.layer.rays > 0 || props.layer.filter !== "");

function edit(field: string, value: unknown, what: string) {
  shot.edit(`${path.value}.${field}`, value, true, what);
}
function rename(name: string) {
  edit("name", name, "Code of the layer");
  emit("renamed", name);
}
</script>

<template>
  <SectionBlock :title="`Layer ${layer.name}`">
    <div class="grid grid-cols-[2fr_3fr] gap-2">
      <TextField label="Code" :model-value="layer.name" :error="shot.problems[`${path}.name`]" @commit="rename" />
      <TextField
        label="Title"
        :model-value="layer.title"
        :error="shot.problems[`${path}.title`]"
        @commit="edit('title', $event, 'Title of the layer')"
      />
    </div>
    <ChoiceField
      v-if="cameras.length > 2"
      label="Camera of this layer"
      :model-value="layer.camera"
      :options="cameras"
      initial=""
      :error="shot.problems[`${path}.camera`]"
      @commit="edit('camera', $event, 'Camera of the layer')"
    />
    <BackdropFields label="Backdrop of this layer" :path="`${path}.backdrop`" :backdrop="layer.backdrop" inherit />
    <TextField
      label="Frames (empty: the whole range)"
      :model-value="layer.frames"
      :error="shot.problems[`${path}.frames`]"
      @commit="edit('frames', $event, 'Frames of the layer')"
    />
    <TextField
      label="Note to the receiver"
      lines
      :model-value="layer.note"
      :error="shot.problems[`${path}.note`]"
      @commit="edit('note', $event, 'Note of the layer')"
    />
  </SectionBlock>
  <SectionBlock title="Quality of its own" :open="own">
    <ChoiceField
      label="Samples"
      :model-value="layer.samples"
      :options="SAMPLES"
      initial=""
      @commit="edit('samples', $event, 'Samples of the layer')"
    />
    <NumberField
      label="Rays (0: the shot’s)"
      whole
      :model-value="layer.rays"
      :initial="0"
      :step="1"
      :min="0"
      :max="64"
      :error="shot.problems[`${path}.rays`]"
      @commit="edit('rays', $event, 'Rays of the layer')"
    />
    <ChoiceField
      label="Pixel filter"
      :model-value="layer.filter"
      :options="FILTERS"
      initial=""
      @commit="edit('filter', $event, 'Filter of the layer')"
    />
    <NumberField
      v-if="layer.filter"
      label="Filter width"
      unit="px"
      :model-value="layer.filter_width"
      :initial="1"
      :step="0.1"
      :min="1"
      :max="8"
      :error="shot.problems[`${path}.filter_width`]"
      @commit="edit('filter_width', $event, 'Filter of the layer')"
    />
  </SectionBlock>
</template>
