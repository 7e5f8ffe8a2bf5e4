<script setup lang="ts">
/** The heads of what moves: things, and below each its values. */
import { computed } from "vue";

import type { Sound } from "@/shot/document";

import { COLUMN, type TurnColumn, WAVE } from "./layout";
import type { KeySheet } from "./useKeySheet";

const props = defineProps<{ sheet: KeySheet; turns: TurnColumn[]; heard: Sound[] }>();
/** Things over their columns: how many of them stand side by side. */
const heads = computed(() => {
  const found: { thing: string; part: string; count: number }[] = [];
  for (const column of props.sheet.columns.value) {
    const last = found.at(-1);
    if (last?.part === column.part) last.count += 1;
    else found.push({ thing: column.thing, part: column.part, count: 1 });
  }
  return found;
});
</script>

<template>
  <div>
    <div class="flex">
      <span
        v-for="one in heard"
        :key="one.id"
        class="truncate border-l border-line px-1.5 pt-1 font-semibold text-ink"
        :style="{ width: `${WAVE}px` }"
        :title="one.name"
        >{{ one.name }}</span
      >
      <span
        v-for="head in heads"
        :key="head.part"
        class="truncate border-l border-line px-1.5 pt-1 font-semibold text-ink"
        :style="{ width: `${head.count * COLUMN}px` }"
        :title="head.thing"
        >{{ head.thing }}</span
      >
      <span
        v-for="turn in turns"
        :key="turn.key"
        class="truncate border-l border-line px-1.5 pt-1 font-semibold text-ink"
        :style="{ width: `${COLUMN}px` }"
        :title="turn.title"
        >{{ turn.thing }}</span
      >
    </div>
    <div class="flex">
      <span
        v-for="one in heard"
        :key="one.id"
        class="truncate border-l border-line px-1.5 pb-1"
        :style="{ width: `${WAVE}px` }"
        >sound</span
      >
      <button
        v-for="(column, at) in sheet.columns.value"
        :key="column.path"
        type="button"
        class="truncate border-l border-line px-1.5 pb-1 text-left hover:text-ink"
        :class="sheet.chosen.toColumn === at ? 'bg-select font-semibold text-select-ink' : ''"
        :style="{ width: `${COLUMN}px` }"
        :title="`${column.thing}, ${column.title}: select the column`"
        :aria-label="`${column.thing}, ${column.title}`"
        :aria-pressed="sheet.chosen.toColumn === at"
        @click="sheet.chooseColumn(at)"
      >
        {{ column.title }}{{ column.track.after === "repeat" ? " ↻" : ""
        }}{{ column.track.every > 1 ? ` /${column.track.every}` : "" }}
      </button>
      <span
        v-for="turn in turns"
        :key="turn.key"
        class="truncate border-l border-line px-1.5 pb-1"
        :style="{ width: `${COLUMN}px` }"
        >{{ turn.what }}</span
      >
    </div>
  </div>
</template>
