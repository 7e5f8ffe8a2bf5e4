<script setup lang="ts">
/** Who did what in a project, for its owners. */
import { ref } from "vue";

import { answer, api, type Schemas } from "@/api/client";
import PressButton from "@/controls/PressButton.vue";

const props = defineProps<{ projectId: number }>();
const entries = ref<Schemas["EntryOut"][]>([]);
const open = ref(false);
const more = ref(false);
const PAGE = 100;

async function load() {
  const before = entries.value.at(-1)?.id ?? 0;
  const params = { path: { project_id: props.projectId }, query: { before } };
  const found = await answer(api.GET("/api/projects/{project_id}/journal", { params }));
  entries.value = [...entries.value, ...found];
  more.value = found.length === PAGE;
}
async function toggle() {
  open.value = !open.value;
  entries.value = [];
  if (open.value) await load();
}
</script>

<template>
  <section class="mt-8 border-t border-line pt-3" aria-label="Journal">
    <div class="flex items-center gap-3">
      <h2 class="font-title text-lg">Journal</h2>
      <PressButton quiet :aria-expanded="open" @click="toggle">{{ open ? "Close" : "Who did what" }}</PressButton>
    </div>
    <template v-if="open">
      <p v-if="!entries.length" class="text-soft">Nothing yet.</p>
      <table v-else class="mt-1 w-full">
        <tbody>
          <tr v-for="one in entries" :key="one.id" class="border-b border-line align-baseline">
            <td class="w-44 py-1 text-soft tabular-nums">{{ new Date(one.at).toLocaleString() }}</td>
            <td class="py-1">
              <b class="font-semibold">{{ one.name }}</b> {{ one.what }} {{ one.about }}
            </td>
            <td class="py-1 text-right text-soft tabular-nums">{{ one.address }}</td>
          </tr>
        </tbody>
      </table>
      <PressButton v-if="more" class="mt-2" @click="load">Earlier</PressButton>
    </template>
  </section>
</template>
