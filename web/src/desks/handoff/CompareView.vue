<script setup lang="ts">
/** A frame as two versions have it: one over the other, wiped aside, or how far they are apart. */
import { computed, ref } from "vue";

import ChoiceField from "@/controls/ChoiceField.vue";
import PressButton from "@/controls/PressButton.vue";
import PictureFrame from "@/picture/PictureFrame.vue";

defineProps<{
  before: string;
  after: string;
  /** Numbers of the versions. */
  versions: [number, number];
  frame: number;
  width: number;
  height: number;
}>();
const emit = defineEmits<{ close: [] }>();
const how = ref("wipe");
const share = ref(50);
const missing = ref({ before: false, after: false });
const named = (version: number) => `v${String(version).padStart(3, "0")}`;
const wiped = computed(() =>
  how.value === "wipe" ? { clipPath: `inset(0 0 0 ${share.value}%)` } : { mixBlendMode: "difference" as const },
);
function move(event: PointerEvent) {
  if (how.value !== "wipe" || !(event.buttons & 1)) return;
  const frame = (event.currentTarget as HTMLElement).getBoundingClientRect();
  share.value = Math.min(100, Math.max(0, (100 * (event.clientX - frame.left)) / frame.width));
}
</script>

<template>
  <PictureFrame :width :height>
    <div
      class="relative isolate size-full cursor-ew-resize touch-none bg-black"
      @pointerdown="move"
      @pointermove="move"
    >
      <img
        :key="before"
        :src="before"
        class="absolute inset-0 size-full"
        draggable="false"
        :alt="`Frame ${frame} of ${named(versions[0])}`"
        @error="missing.before = true"
        @load="missing.before = false"
      />
      <img
        :key="`${after} `"
        :src="after"
        class="absolute inset-0 size-full"
        draggable="false"
        :style="wiped"
        :alt="`Frame ${frame} of ${named(versions[1])}`"
        @error="missing.after = true"
        @load="missing.after = false"
      />
      <div
        v-if="how === 'wipe'"
        class="absolute inset-y-0 w-px bg-white shadow-[0_0_2px_black]"
        :style="{ left: `${share}%` }"
      />
    </div>
    <template #over>
      <div class="absolute inset-x-4 top-3 mx-auto flex w-fit items-center gap-3 rounded-sm bg-sheet px-3 py-1 shadow">
        <span>{{ named(versions[0]) }}</span>
        <ChoiceField
          label="How they are shown"
          bare
          :model-value="how"
          :options="[
            { name: 'wipe', title: 'beside each other' },
            { name: 'difference', title: 'difference' },
          ]"
          @commit="how = $event"
        />
        <input
          v-if="how === 'wipe'"
          v-model.number="share"
          type="range"
          min="0"
          max="100"
          class="w-28 accent-select-ink"
          :aria-label="`How much of ${named(versions[0])} is seen`"
        />
        <span>{{ named(versions[1]) }}</span>
        <PressButton @click="emit('close')">Back</PressButton>
      </div>
      <p
        v-if="missing.before || missing.after"
        class="absolute inset-x-4 bottom-3 mx-auto w-fit rounded-sm bg-sheet px-3 py-1 shadow"
        role="status"
      >
        Frame {{ frame }} of {{ named(versions[missing.before ? 0 : 1]) }} is not kept as it was rendered; its files
        are.
      </p>
    </template>
  </PictureFrame>
</template>
