<script setup lang="ts">
/** What was put away, however long ago, and can be brought back. */
import { ref } from "vue";

import { Problem } from "@/api/client";
import { counted } from "@/controls/counted";
import PressButton from "@/controls/PressButton.vue";

import type { Away } from "./away";

const props = defineProps<{
  title: string;
  rows: Away[];
  one: string;
  changes: boolean;
  bring: (row: Away) => Promise<void>;
}>();
const open = ref(false);
const busy = ref("");
/** The row that would not come back, and why. */
const failed = ref("");
const failure = ref("");

async function back(row: Away) {
  busy.value = row.key;
  failed.value = failure.value = "";
  try {
    await props.bring(row);
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    failed.value = row.key;
    failure.value = error.message;
  } finally {
    busy.value = "";
  }
}
</script>

<template>
  <section v-if="rows.length" class="mt-8 border-t border-line pt-3" :aria-label="title">
    <div class="flex items-center gap-3">
      <h2 class="font-title text-lg">{{ title }}</h2>
      <span class="text-soft">{{ counted(rows.length, one) }}</span>
      <PressButton quiet :aria-expanded="open" @click="open = !open">{{ open ? "Close" : "Show" }}</PressButton>
    </div>
    <ul v-if="open" class="mt-1 max-w-2xl">
      <li v-for="row in rows" :key="row.key" class="border-b border-line py-1">
        <span class="flex items-baseline gap-3">
          <b v-if="row.code" class="font-semibold">{{ row.code }}</b>
          <span class="min-w-0 truncate font-title text-base" :title="row.title">{{ row.title }}</span>
          <span v-if="row.note" class="shrink-0 text-soft">{{ row.note }}</span>
          <PressButton
            v-if="changes"
            class="ml-auto shrink-0"
            quiet
            :disabled="busy !== ''"
            :aria-label="`Bring back ${row.code || row.title}`"
            @click="back(row)"
            >Bring back</PressButton
          >
        </span>
        <p v-if="failed === row.key" class="text-now" role="alert">✕ {{ failure }}</p>
      </li>
    </ul>
  </section>
</template>
