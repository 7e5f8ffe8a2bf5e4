<script setup lang="ts">
/** The same three parts on every desk: sheet, picture, settings. */
import { useShot } from "@/shot/store";

import type { SheetColumn } from "./columns";
import FrameSheet from "./FrameSheet.vue";

withDefaults(
  defineProps<{
    columns: SheetColumn[];
    sheetWidth?: string;
    bracket?: boolean;
    wide?: number;
    reach?: [number, number] | undefined;
  }>(),
  {
    sheetWidth: "15rem",
    bracket: false,
    wide: 0,
    reach: undefined,
  },
);
const shot = useShot();

function setRange(first: number, last: number) {
  if (!shot.draft) return;
  shot.edit("timing", { ...shot.draft.timing, first, last }, false, "Range");
  shot.goTo(shot.frame);
}
</script>

<template>
  <div
    v-if="shot.timing"
    class="grid min-h-0 min-w-0 flex-1"
    :style="{ gridTemplateColumns: `${sheetWidth} minmax(0, 1fr) 20.5rem` }"
  >
    <FrameSheet
      :first="shot.timing.first"
      :last="shot.timing.last"
      :step="shot.timing.step"
      :cycle="shot.timing.cycle"
      :frame="shot.frame"
      :columns
      :bracket
      :wide
      :handles="shot.timing.handles"
      :reach
      @go="shot.goTo($event)"
      @range="setRange"
      @range-done="shot.save()"
    >
      <template v-if="$slots.heads" #heads><slot name="heads" /></template>
      <template v-if="$slots.columns" #columns="lines"><slot name="columns" v-bind="lines" /></template>
    </FrameSheet>
    <div class="flex min-h-0 min-w-0 flex-col">
      <slot name="picture" />
    </div>
    <aside class="flex min-h-0 flex-col border-l border-rule bg-paper" aria-label="Settings">
      <!-- What there is, and below it the settings of what is selected: neither pushes the other out of sight. -->
      <div
        v-if="$slots.lists"
        class="max-h-[48%] shrink-0 overflow-y-auto"
        tabindex="0"
        aria-label="What there is"
        role="group"
      >
        <slot name="lists" />
      </div>
      <div
        class="min-h-0 flex-1 overflow-y-auto"
        :class="{ 'border-t-2 border-rule': $slots.lists }"
        tabindex="0"
        aria-label="Settings of what is selected"
        role="group"
      >
        <slot name="settings" />
      </div>
    </aside>
  </div>
</template>
