<script setup lang="ts">
/** Some of the frames under a name: to play, or to render alone. */
import { Trash2 } from "@lucide/vue";
import { computed, ref } from "vue";

import PressButton from "@/controls/PressButton.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import { useShot } from "@/shot/store";

const shot = useShot();
const ranges = computed(() => shot.draft?.ranges ?? []);
const name = ref("");
const first = ref("");
const last = ref("");
const reason = ref("");

function keep() {
  const title = name.value.trim();
  if (!shot.timing || !title) return;
  const begin = first.value.trim() ? Number(first.value) : shot.timing.first;
  const end = last.value.trim() ? Number(last.value) : shot.timing.last;
  if (!Number.isInteger(begin) || !Number.isInteger(end) || begin < 0 || end < begin)
    reason.value = "Frames are whole numbers, the last not before the first.";
  else if (ranges.value.some((one) => one.name.toLowerCase() === title.toLowerCase()))
    reason.value = `There is a range ${title} already.`;
  else {
    reason.value = "";
    shot.edit("ranges", [...ranges.value, { name: title, first: begin, last: end }], true, `Range ${title}`);
    name.value = first.value = last.value = "";
  }
}
function use(one: { name: string; first: number; last: number }) {
  if (!shot.timing) return;
  shot.edit("timing", { ...shot.timing, first: one.first, last: one.last }, true, `The range is ${one.name}`);
  shot.goTo(one.first);
}
function remove(name: string) {
  shot.edit(
    "ranges",
    ranges.value.filter((one) => one.name !== name),
    true,
    `Forget the range ${name}`,
  );
}
</script>

<template>
  <SectionBlock title="Named ranges">
    <ul v-if="ranges.length" class="border-t border-line" aria-label="Named ranges">
      <li v-for="one in ranges" :key="one.name" class="flex items-center border-b border-line">
        <button
          type="button"
          class="min-w-0 flex-1 truncate px-1.5 py-1 text-left hover:bg-select"
          :title="`Make frames ${one.first} to ${one.last} the range`"
          @click="use(one)"
        >
          {{ one.name }} <span class="text-soft">{{ one.first }}–{{ one.last }}</span>
        </button>
        <PressButton
          quiet
          :aria-label="`Forget the range ${one.name}`"
          title="Forget it"
          :disabled="shot.looking"
          @click="remove(one.name)"
          ><Trash2 :size="14" aria-hidden="true"
        /></PressButton>
      </li>
    </ul>
    <p v-else class="text-soft">Parts of the shot that are played or rendered alone. Run offers them by their names.</p>
    <form class="grid grid-cols-[1fr_3.5rem_3.5rem_auto] items-end gap-1.5" @submit.prevent="keep">
      <label class="min-w-0"
        ><span class="block text-soft">Name</span
        ><input v-model="name" class="w-full rounded-sm border border-rule bg-sheet px-1.5 py-0.5" maxlength="120"
      /></label>
      <label v-for="which in ['first', 'last'] as const" :key="which" class="min-w-0"
        ><span class="block text-soft">{{ which }}</span
        ><input
          :value="which === 'first' ? first : last"
          class="w-full rounded-sm border border-rule bg-sheet px-1.5 py-0.5 text-right"
          :placeholder="String(shot.timing?.[which] ?? '')"
          inputmode="numeric"
          @input="
            which === 'first'
              ? (first = ($event.target as HTMLInputElement).value)
              : (last = ($event.target as HTMLInputElement).value)
          "
      /></label>
      <PressButton type="submit" :disabled="!name.trim() || shot.looking">Keep</PressButton>
    </form>
    <p v-if="reason || shot.problems.ranges" class="text-now" role="alert">✕ {{ reason || shot.problems.ranges }}</p>
  </SectionBlock>
</template>
