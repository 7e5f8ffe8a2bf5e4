<script setup lang="ts" generic="T extends { key: string }">
/** A choice among what is shipped and what the project brought along, and a way to bring more. */
import { Upload } from "@lucide/vue";
import { computed, onMounted, ref, shallowRef, useTemplateRef, watch } from "vue";

import { upload } from "@/api/upload";
import ListField from "@/controls/ListField.vue";
import { useShot } from "@/shot/store";

const props = defineProps<{
  label: string;
  modelValue: string;
  error?: string | undefined;
  dropped: File | null;
  /** Where files go, below the project's address. */
  folder: string;
  accept: string;
  invitation: string;
  list: (project: number) => Promise<T[]>;
  describe: (one: T) => { title: string; note: string };
  shipped: { name: string; title: string; note: string }[];
}>();
const emit = defineEmits<{ commit: [value: string]; brought: [file: T]; taken: [] }>();
const shot = useShot();
const own = shallowRef<T[]>([]);
const failure = ref("");
const busy = ref(false);
const input = useTemplateRef("input");
const project = computed(() => shot.meta?.project_id ?? 0);
const options = computed(() => [
  ...own.value.map((one) => ({ name: one.key, ...props.describe(one) })),
  ...props.shipped,
]);

onMounted(async () => {
  own.value = await props.list(project.value);
});

async function send(file: File | undefined) {
  if (!file) return;
  failure.value = "";
  busy.value = true;
  try {
    const taken = await upload<T>(`/api/projects/${project.value}/${props.folder}`, file);
    own.value = [taken, ...own.value.filter((one) => one.key !== taken.key)];
    emit("brought", taken);
    emit("commit", taken.key);
  } catch (error) {
    failure.value = error instanceof Error ? error.message : String(error);
  } finally {
    busy.value = false;
  }
}
watch(
  () => props.dropped,
  (file) => {
    if (!file) return;
    void send(file);
    emit("taken");
  },
  // It may be why this field is here at all.
  { immediate: true },
);
function chosen(event: Event) {
  const target = event.target as HTMLInputElement;
  void send(target.files?.[0]);
  target.value = "";
}
</script>

<template>
  <div>
    <ListField :label :model-value="modelValue" :options :error="failure || error" @commit="emit('commit', $event)" />
    <button
      type="button"
      class="mt-1 inline-flex items-center gap-1 text-left text-select-ink underline underline-offset-2"
      :disabled="busy"
      @click="input?.click()"
    >
      <Upload :size="13" class="shrink-0" aria-hidden="true" />{{ busy ? "Reading the file…" : invitation }}
    </button>
    <input ref="input" type="file" class="hidden" :accept :aria-label="`${label} file`" @change="chosen" />
  </div>
</template>
