<script setup lang="ts">
import ChoiceField from "@/controls/ChoiceField.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import SwitchField from "@/controls/SwitchField.vue";

const what = defineModel<string>("what", { required: true });
defineProps<{ looks: { name: string; title: string }[]; overscan: number }>();
const blend = defineModel<"linear" | "encoded">("blend", { required: true });
const zoom = defineModel<number>("zoom", { required: true });
const around = defineModel<boolean>("around", { required: true });
const BLEND = [
  { name: "linear", title: "Linear light" },
  { name: "encoded", title: "Encoded values" },
];
const ZOOM = [0, 1, 2, 4, 8, 16].map((one) => ({ name: String(one), title: one ? `${one}×` : "Fit" }));
</script>

<template>
  <SectionBlock title="Look">
    <ChoiceField label="Show" :model-value="what" :options="looks" @commit="what = $event" />
    <ChoiceField
      label="Magnify, with hard pixels"
      :model-value="String(zoom)"
      :options="ZOOM"
      @commit="zoom = Number($event)"
    />
    <SwitchField
      v-if="overscan"
      :label="`Overscan, ${overscan} pixels around`"
      :model-value="around"
      help="What was rendered around the raster: it is in OpenEXR, and in no other form."
      @commit="around = $event"
    />
    <ChoiceField
      label="Blend with the ground in"
      :model-value="blend"
      :options="BLEND"
      @commit="blend = $event as 'linear'"
    />
    <p class="text-xs text-soft">
      {{
        blend === "linear"
          ? "As Zeitbild and compositors that work in light blend it."
          : "As web browsers and many editors blend it: soft edges turn out a little darker or lighter."
      }}
    </p>
  </SectionBlock>
</template>
