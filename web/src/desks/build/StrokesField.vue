<script setup lang="ts">
/** The strokes of a penwork in the order of writing: dragged or moved to another place, turned round, left out. */
import { ArrowLeftRight, ChevronDown, ChevronUp, Eye, EyeOff } from "@lucide/vue";
import { computed, onBeforeUnmount, ref, shallowRef, watch } from "vue";

import { answer, api, Problem } from "@/api/client";
import PressButton from "@/controls/PressButton.vue";
import SwitchField from "@/controls/SwitchField.vue";
import { useShot } from "@/shot/store";

import { leaveOut, numberedIn, orderOf, putStroke, turnRound } from "./strokes";

const props = defineProps<{ element: Record<string, unknown>; path: string; error?: string | undefined }>();
interface Stroke {
  number: number;
  points: number[][];
  closes: boolean;
}
const shot = useShot();
const found = shallowRef<Stroke[]>([]);
const failure = ref("");
let number = 0;
let timer = 0;
/** What decides which strokes there are. */
const decides = computed(() =>
  JSON.stringify(
    [
      "id",
      "writes",
      "word",
      "font",
      "letters",
      "letter_spacing",
      "line_spacing",
      "late",
      "drawing",
      "size",
      "drawn",
      "width",
      "wider",
    ].map((name) => props.element[name]),
  ),
);
async function ask() {
  const mine = ++number;
  try {
    const strokes = await answer(
      api.POST("/api/shots/{shot_id}/strokes", {
        params: { path: { shot_id: shot.id } },
        body: {
          document: shot.draft as unknown as Record<string, never>,
          element: props.element.id as string,
          frame: shot.frame,
        },
      }),
    );
    if (mine !== number) return;
    found.value = strokes;
    failure.value = "";
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    if (mine === number) {
      found.value = [];
      failure.value = error.problems[0]?.message ?? error.message;
    }
  }
}
watch(
  decides,
  () => {
    window.clearTimeout(timer);
    timer = window.setTimeout(() => void ask(), 250);
  },
  { immediate: true },
);
onBeforeUnmount(() => window.clearTimeout(timer));

const base = computed(() => props.path.replace(/\.order$/, ""));
const order = computed(() => {
  const all = found.value.map((one) => one.number);
  return orderOf(props.element.order as number[], all);
});
const turned = computed(() => new Set(props.element.turned as number[]));
const out = computed(() => new Set(props.element.left_out as number[]));
const changed = computed(() => (props.element.order as number[]).length + turned.value.size + out.value.size > 0);
function shape(one: number) {
  const points = found.value.find((stroke) => stroke.number === one)?.points ?? [];
  const own = turned.value.has(one) ? [...points].reverse() : points;
  return { line: own.map(([x = 0, y = 0]) => `${x * 100},${y * 100}`).join(" "), first: own[0] ?? [0, 0] };
}
const everything = computed(() =>
  found.value.map((stroke) => stroke.points.map(([x = 0, y = 0]) => `${x * 100},${y * 100}`).join(" ")),
);
const high = computed(() => Math.max(6, ...found.value.flatMap((one) => one.points.map(([, y = 0]) => y * 100))));
const put = (from: number, to: number) => putStroke(shot, base.value, order.value, from, to);
function reset() {
  shot.editMany(
    { [props.path]: [], [`${base.value}.turned`]: [], [`${base.value}.left_out`]: [] },
    "Strokes as they were found",
  );
}
const dragged = ref(-1);
</script>

<template>
  <div class="grid gap-1.5">
    <ol
      v-if="order.length"
      class="max-h-80 overflow-y-auto rounded-sm border border-rule bg-sheet"
      aria-label="Strokes"
    >
      <li
        v-for="(one, at) in order"
        :key="one"
        class="flex items-center gap-1 border-b border-line px-1 last:border-0"
        :class="{ 'bg-select': dragged === at, 'opacity-50': out.has(one) }"
        draggable="true"
        @dragstart="dragged = at"
        @dragend="dragged = -1"
        @dragover.prevent
        @drop.prevent="put(dragged, at)"
      >
        <span class="w-6 text-right text-soft tabular-nums">{{ at + 1 }}</span>
        <svg class="h-7 min-w-0 flex-1" :viewBox="`-3 -3 106 ${high + 6}`" aria-hidden="true">
          <polyline
            v-for="(line, other) in everything"
            :key="other"
            :points="line"
            fill="none"
            class="stroke-rule"
            stroke-width="1.2"
          />
          <polyline
            :points="shape(one).line"
            fill="none"
            class="stroke-select-ink"
            stroke-width="3"
            stroke-linecap="round"
          />
          <circle :cx="shape(one).first[0]! * 100" :cy="shape(one).first[1]! * 100" r="3.2" class="fill-now" />
        </svg>
        <PressButton quiet class="px-0.5!" :aria-label="`Stroke ${at + 1} earlier`" @click="put(at, at - 1)"
          ><ChevronUp :size="13" aria-hidden="true"
        /></PressButton>
        <PressButton quiet class="px-0.5!" :aria-label="`Stroke ${at + 1} later`" @click="put(at, at + 1)"
          ><ChevronDown :size="13" aria-hidden="true"
        /></PressButton>
        <PressButton
          quiet
          class="px-0.5!"
          :aria-label="`Stroke ${at + 1} from its other end`"
          :aria-pressed="turned.has(one)"
          @click="turnRound(shot, base, turned, one, at)"
          ><ArrowLeftRight :size="13" aria-hidden="true"
        /></PressButton>
        <PressButton
          quiet
          class="px-0.5!"
          :aria-label="`Stroke ${at + 1} is written`"
          :aria-pressed="!out.has(one)"
          @click="leaveOut(shot, base, out, one)"
          ><EyeOff v-if="out.has(one)" :size="13" aria-hidden="true" /><Eye v-else :size="13" aria-hidden="true"
        /></PressButton>
      </li>
    </ol>
    <p v-else-if="!failure" class="text-soft">No strokes.</p>
    <template v-if="order.length">
      <SwitchField
        label="Numbers on the picture"
        :model-value="numberedIn === element.id"
        @commit="numberedIn = $event ? (element.id as string) : ''"
      />
      <p v-if="numberedIn === element.id" class="text-soft">
        A click on a number begins its stroke at the other end; dragged onto another it is written in its place; Delete
        leaves it out.
      </p>
    </template>
    <PressButton v-if="changed" quiet class="justify-self-start" @click="reset">As they were found</PressButton>
    <p v-if="failure || error" class="text-now" role="alert">✕ {{ failure || error }}</p>
  </div>
</template>
