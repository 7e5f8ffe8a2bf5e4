<script setup lang="ts">
/** The same three parts on every desk: sheet, picture, settings. */
import { useShot } from "@/shot/store";

import type { SheetColumn } from "./columns";
import FrameSheet from "./FrameSheet.vue";

withDefaults(defineProps<{ columns: SheetColumn[]; sheetWidth?: string; bracket?: boolean }>(), {
  sheetWidth: "15rem",
  bracket: false,
});
const shot = useShot();

function setRange(first: number, last: number) {
  if (!shot.draft) return;
  shot.edit("timing", { ...shot.draft.timing, first, last }, false, "Range");
  shot.goTo(shot.frame);
}
</script>

<template>
  <div
    v-if="shot.draft"
    class="grid min-h-0 min-w-0 flex-1"
    :style="{ gridTemplateColumns: `${sheetWidth} minmax(0, 1fr) 20.5rem` }"
  >
    <FrameSheet
      :first="shot.draft.timing.first"
      :last="shot.draft.timing.last"
      :step="shot.draft.timing.step"
      :cycle="shot.draft.timing.cycle"
      :frame="shot.frame"
      :columns
      :bracket
      @go="shot.goTo($event)"
      @range="setRange"
      @range-done="shot.save()"
    />
    <div class="flex min-h-0 min-w-0 flex-col">
      <slot name="picture" />
    </div>
    <aside class="min-h-0 overflow-y-auto border-l border-rule bg-paper" aria-label="Settings" tabindex="0">
      <slot name="settings" />
    </aside>
  </div>
</template>
