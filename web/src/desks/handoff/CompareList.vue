<script setup lang="ts">
/** What is otherwise in a version than in an earlier one. */
import { computed, ref, shallowRef, watch } from "vue";

import { answer, api, Problem, type Schemas } from "@/api/client";

const props = defineProps<{ handoff: Schemas["HandOffOut"]; earlier: Schemas["HandOffOut"][] }>();
const emit = defineEmits<{ shown: [what: { earlier: Schemas["HandOffOut"]; runs: [number, number] } | null] }>();
const found = shallowRef<Schemas["ComparedOut"] | null>(null);
const failure = ref("");
const other = ref(props.earlier[0]?.id ?? 0);
let asked = 0;
watch(
  other,
  async (id) => {
    const number = ++asked;
    failure.value = "";
    try {
      const told = await answer(
        api.GET("/api/handoffs/{handoff_id}/beside/{other_id}", {
          params: { path: { handoff_id: props.handoff.id, other_id: id } },
        }),
      );
      if (number !== asked) return;
      found.value = told as Schemas["ComparedOut"];
      const earlier = props.earlier.find((one) => one.id === id);
      if (earlier) emit("shown", { earlier, runs: told.runs as [number, number] });
    } catch (error) {
      if (!(error instanceof Problem)) throw error;
      failure.value = error.message;
    }
  },
  { immediate: true },
);
const named = (version: number) => `v${String(version).padStart(3, "0")}`;
const STATES: Record<string, string> = { same: "the same", changed: "changed", new: "new", gone: "not there any more" };
function counted(one: Schemas["FormsOut"]) {
  const parts = [
    [one.same, "same"],
    [one.others, "others"],
    [one.new, "new"],
    [one.gone, "gone"],
  ] as const;
  return parts.flatMap(([count, word]) => (count ? [`${count} ${word}`] : [])).join(", ");
}
const layers = computed(() => found.value?.layers ?? []);
const alike = computed(() => layers.value.every((one) => !one.others && !one.new && !one.gone));
</script>

<template>
  <div class="mt-1 grid gap-1.5 border-l-2 border-line pl-2" aria-label="Compared">
    <label class="flex items-baseline gap-2 text-soft"
      >beside
      <select v-model.number="other" class="rounded-sm border border-rule bg-sheet px-1.5 py-0.5 text-ink">
        <option v-for="one in earlier" :key="one.id" :value="one.id">{{ named(one.version) }}</option>
      </select></label
    >
    <p v-if="failure" class="text-now" role="alert">✕ {{ failure }}</p>
    <template v-if="found">
      <h4 class="font-semibold">Pictures</h4>
      <p v-if="alike" class="text-soft">Every frame is the same picture.</p>
      <ul v-else>
        <li v-for="one in layers" :key="one.layer">
          <b class="font-medium">{{ one.layer }}</b><template v-if="one.others">: others {{ one.others }}</template
          ><template v-if="one.same">{{ one.others ? ";" : ":" }} the same {{ one.same }}</template
          ><template v-if="one.new">; new {{ one.new }}</template
          ><template v-if="one.gone">; gone {{ one.gone }}</template>
        </li>
      </ul>
      <h4 class="font-semibold">Files</h4>
      <ul>
        <li v-for="(one, at) in found.forms" :key="at">
          {{ one.title }}: {{ STATES[one.state] ?? one.state }}
          <span v-if="counted(one)" class="text-soft">({{ counted(one) }})</span>
          <span v-for="[title, before, after] in one.options" :key="title" class="block pl-3 text-soft"
            >{{ title }}: {{ before || "as usual" }} → {{ after || "as usual" }}</span
          >
        </li>
      </ul>
      <template v-if="found.values.length">
        <h4 class="font-semibold">The shot</h4>
        <ul class="max-h-60 overflow-y-auto">
          <li v-for="one in found.values" :key="one.path" class="break-words">
            <span class="text-soft">{{ one.path }}:</span> {{ one.before || "nothing" }} → {{ one.after || "nothing" }}
          </li>
          <li v-if="found.more" class="text-soft">… and more.</li>
        </ul>
      </template>
      <p v-else class="text-soft">The shot is the same.</p>
    </template>
  </div>
</template>
