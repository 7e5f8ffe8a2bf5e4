<script setup lang="ts">
/** Several elements lined up or spread evenly on the picture, and put into a group. */
import {
  AlignCenterHorizontal,
  AlignCenterVertical,
  AlignEndHorizontal,
  AlignEndVertical,
  AlignHorizontalDistributeCenter,
  AlignStartHorizontal,
  AlignStartVertical,
  AlignVerticalDistributeCenter,
} from "@lucide/vue";

import SectionBlock from "@/controls/SectionBlock.vue";
import { arranged, type Box } from "@/picture/snapping";

import type { Hands } from "@/picture/useHands";

const props = defineProps<{ hands: Hands }>();
const emit = defineEmits<{ group: [] }>();
const WAYS = [
  { how: "left", title: "Left edges in line", sign: AlignStartVertical, least: 2 },
  { how: "middle", title: "Middles one above the other", sign: AlignCenterVertical, least: 2 },
  { how: "right", title: "Right edges in line", sign: AlignEndVertical, least: 2 },
  { how: "top", title: "Upper edges in line", sign: AlignStartHorizontal, least: 2 },
  { how: "centre", title: "Middles side by side", sign: AlignCenterHorizontal, least: 2 },
  { how: "bottom", title: "Lower edges in line", sign: AlignEndHorizontal, least: 2 },
  { how: "spread across", title: "Even gaps from left to right", sign: AlignHorizontalDistributeCenter, least: 3 },
  { how: "spread down", title: "Even gaps from top to bottom", sign: AlignVerticalDistributeCenter, least: 3 },
] as const;

function arrange(how: (typeof WAYS)[number]["how"], title: string) {
  const own = props.hands.movable.value.filter((one) => props.hands.lies.value.get(one.id)?.box);
  const boxes = own.map((one) => props.hands.lies.value.get(one.id)?.box as Box);
  const moves = arranged(boxes, how);
  props.hands.moveEach(new Map(own.map((one, at) => [one.id, moves[at] ?? [0, 0]])), title);
}
</script>

<template>
  <SectionBlock title="Arrange">
    <div class="flex flex-wrap gap-1">
      <button
        v-for="way in WAYS"
        :key="way.how"
        type="button"
        class="rounded-sm p-1.5 text-soft enabled:hover:bg-select enabled:hover:text-ink disabled:opacity-50"
        :aria-label="way.title"
        :title="way.title"
        :disabled="hands.movable.value.length < way.least"
        @click="arrange(way.how, way.title)"
      >
        <component :is="way.sign" :size="16" aria-hidden="true" />
      </button>
    </div>
    <button
      type="button"
      class="justify-self-start text-select-ink underline underline-offset-2"
      @click="emit('group')"
    >
      Put them into a group
    </button>
  </SectionBlock>
</template>
