<script setup lang="ts">
/** The rule for file names, those that the project keeps, and the sequences that it gives, as a tree of folders. */
import { computed, ref, watch } from "vue";

import { answer, api, Problem, type Schemas } from "@/api/client";
import { useOffers } from "@/api/offers";
import PressButton from "@/controls/PressButton.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import TextField from "@/controls/TextField.vue";
import { useShot } from "@/shot/store";
import { counted } from "@/controls/counted";

const shot = useShot();
const offers = useOffers();
const outputs = computed(() => shot.examined?.plan?.outputs ?? []);
type Output = (typeof outputs.value)[number];
/** Folders in the order of their first sequence. */
const folders = computed(() => {
  const found = new Map<string, Output[]>();
  for (const output of outputs.value) found.set(output.folder, [...(found.get(output.folder) ?? []), output]);
  return [...found].map(([folder, own]) => ({ folder, outputs: own }));
});

const kept = ref<Schemas["RuleOut"][]>([]);
const name = ref("");
const failure = ref("");
const project = computed(() => shot.meta?.project_id ?? 0);
async function attempt(work: () => Promise<Schemas["RuleOut"][]>) {
  failure.value = "";
  try {
    kept.value = await work();
    name.value = "";
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    failure.value = error.message;
  }
}
watch(
  project,
  (id) => {
    if (id)
      void attempt(() =>
        answer(api.GET("/api/projects/{project_id}/naming-rules", { params: { path: { project_id: id } } })),
      );
  },
  { immediate: true },
);
const keep = () =>
  attempt(() =>
    answer(
      api.POST("/api/projects/{project_id}/naming-rules", {
        params: { path: { project_id: project.value } },
        body: { name: name.value, rule: shot.draft?.naming ?? "" },
      }),
    ),
  );
const forget = (one: string) =>
  attempt(() =>
    answer(
      api.DELETE("/api/projects/{project_id}/naming-rules", {
        params: { path: { project_id: project.value }, query: { name: one } },
      }),
    ),
  );
function insert(field: string) {
  const text = field === "frame" ? "{frame:04}" : field === "version" ? "{version:03}" : `{${field}}`;
  const rule = shot.draft?.naming ?? "";
  const ending = ".{ext}";
  const next = rule.endsWith(ending) ? `${rule.slice(0, -ending.length)}${text}${ending}` : rule + text;
  shot.edit("naming", next, true, "File-name rule");
}
</script>

<template>
  <SectionBlock title="File names">
    <TextField
      label="Rule"
      lines
      :model-value="shot.draft?.naming ?? ''"
      :error="shot.examined?.naming_error ?? shot.problems.naming"
      @update="shot.edit('naming', $event.replace(/\n/g, ''), false)"
      @commit="shot.edit('naming', $event.replace(/\n/g, ''), true, 'File-name rule')"
    />
    <div class="flex flex-wrap gap-1" aria-label="Insert a field">
      <button
        v-for="field in offers?.naming_fields"
        :key="field.name"
        type="button"
        class="rounded-sm border border-line bg-sheet px-1 text-xs text-soft hover:text-ink"
        :title="field.title"
        @click="insert(field.name)"
      >
        {{ `{${field.name}\}` }}
      </button>
    </div>
    <ul v-if="kept.length" class="border-y border-line" aria-label="Rules of this project">
      <li v-for="one in kept" :key="one.name" class="flex items-center border-b border-line/60">
        <button
          type="button"
          class="min-w-0 flex-1 truncate px-1 py-0.5 text-left"
          :class="one.rule === shot.draft?.naming ? 'font-semibold text-select-ink' : 'hover:text-select-ink'"
          :aria-pressed="one.rule === shot.draft?.naming"
          :title="one.rule"
          @click="shot.edit('naming', one.rule, true, `File names by ${one.name}`)"
        >
          {{ one.name }}
        </button>
        <button
          v-if="!shot.looking"
          type="button"
          class="px-1 text-soft hover:text-ink"
          :aria-label="`Forget the rule ${one.name}`"
          @click="forget(one.name)"
        >
          ✕
        </button>
      </li>
    </ul>
    <form v-if="!shot.looking" class="flex gap-2" @submit.prevent="keep">
      <input
        v-model="name"
        type="text"
        class="min-w-0 flex-1 rounded-sm border border-rule bg-sheet px-1.5 py-0.5"
        placeholder="A name for this rule"
        aria-label="A name for this rule"
        maxlength="60"
      />
      <PressButton type="submit" :disabled="!name.trim() || !!shot.examined?.naming_error">Keep it</PressButton>
    </form>
    <p v-if="failure" class="text-xs text-now" role="alert">✕ {{ failure }}</p>
    <ol v-if="folders.length" class="grid gap-1.5 pt-1" aria-label="Sequences">
      <li v-for="one in folders" :key="one.folder">
        <span class="condensed block text-xs break-all text-soft">{{
          one.folder ? `${one.folder}/` : "(no folder)"
        }}</span>
        <ul class="border-l border-line pl-2">
          <li v-for="output in one.outputs" :key="output.first" class="condensed text-xs">
            <span class="break-all">{{ output.first.split("/").at(-1) }}</span>
            <span v-if="output.count > 1" class="break-all text-soft"> to {{ output.last.split("/").at(-1) }}</span>
            <span class="text-soft"> · {{ counted(output.count, "file") }}</span>
          </li>
        </ul>
      </li>
    </ol>
    <p v-if="shot.examined?.plan" class="text-soft">
      {{ counted(shot.examined.plan.total, "file") }} in all, one for each pass. The ending, and whether passes share a
      file, follow the recipe of the hand-off.
    </p>
    <p v-for="hint in shot.examined?.plan?.hints" :key="hint" class="text-warn">△ {{ hint }}</p>
  </SectionBlock>
</template>
