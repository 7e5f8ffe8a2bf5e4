<script setup lang="ts" generic="T extends { key: string }">
/** A choice among what is shipped and what the project brought along, and a way to bring more. */
import { Upload } from "@lucide/vue";
import { computed, onMounted, ref, shallowRef, useTemplateRef, watch } from "vue";

import { gathered, together, upload } from "@/api/upload";
import ListField from "@/controls/ListField.vue";
import { useShot } from "@/shot/store";

const props = defineProps<{
  label: string;
  modelValue: string;
  error?: string | undefined;
  dropped: File[];
  /** Several files that are chosen together make one. */
  many?: boolean;
  /** Endings of files of which one is made; a folder of them may be chosen. */
  gathers?: string[];
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
/** How much of the file is there while it is sent; then it is read. Less than 0: nothing is under way. */
const sent = ref(-1);
let stop: AbortController | null = null;
const input = useTemplateRef("input");
const folderInput = useTemplateRef("folderInput");
const project = computed(() => shot.meta?.project_id ?? 0);
const options = computed(() => [
  ...own.value.map((one) => ({ name: one.key, ...props.describe(one) })),
  ...props.shipped,
]);

onMounted(async () => {
  own.value = await props.list(project.value);
});

async function send(files: File[]) {
  if (!files.length || sent.value >= 0) return;
  failure.value = "";
  sent.value = 0;
  stop = new AbortController();
  try {
    const address = `/api/projects/${project.value}/${props.folder}`;
    const taken = await upload<T>(
      address,
      gathered(files, props.gathers ?? []) ? files : props.many ? (together(files)[0] ?? []) : files.slice(0, 1),
      (share) => (sent.value = share),
      stop.signal,
    );
    // A file may be several that can be chosen.
    own.value = await props.list(project.value);
    emit("brought", taken);
    emit("commit", taken.key);
  } catch (error) {
    failure.value = error instanceof Error ? error.message : String(error);
  } finally {
    sent.value = -1;
  }
}
watch(
  () => props.dropped,
  (files) => {
    if (!files.length) return;
    void send(files);
    emit("taken");
  },
  // It may be why this field is here at all.
  { immediate: true },
);
function chosen(event: Event) {
  const target = event.target as HTMLInputElement;
  void send([...(target.files ?? [])]);
  target.value = "";
}
/** Of a folder what is meant: systems keep notes of their own in it. */
function chosenFolder(event: Event) {
  const target = event.target as HTMLInputElement;
  const endings = props.gathers ?? [];
  const files = [...(target.files ?? [])].filter((file) => !file.name.startsWith("."));
  const meant = files.filter((file) => endings.some((one) => file.name.toLowerCase().endsWith(one)));
  if (!meant.length) failure.value = `There is no picture in that folder; ${endings.slice(0, -1).join(", ")} are.`;
  else void send(meant);
  target.value = "";
}
</script>

<template>
  <div>
    <ListField :label :model-value="modelValue" :options :error="failure || error" @commit="emit('commit', $event)" />
    <p v-if="sent >= 0" class="mt-1 flex items-center gap-2" role="status">
      <progress
        v-if="sent < 1"
        class="h-2 w-24 accent-select-ink"
        :value="sent"
        :aria-label="`${label} sent`"
      ></progress>
      <span>{{ sent < 1 ? `Sending, ${Math.floor(sent * 100)} %` : "Reading the file…" }}</span>
      <button type="button" class="text-select-ink underline underline-offset-2" @click="stop?.abort()">Stop</button>
    </p>
    <button
      v-else
      type="button"
      class="mt-1 inline-flex items-center gap-1 text-left text-select-ink underline underline-offset-2"
      @click="input?.click()"
    >
      <Upload :size="13" class="shrink-0" aria-hidden="true" />{{ invitation }}
    </button>
    <button
      v-if="gathers?.length && sent < 0"
      type="button"
      class="mt-0.5 block text-left text-select-ink underline underline-offset-2"
      @click="folderInput?.click()"
    >
      … or a folder of pictures, each a part
    </button>
    <input
      ref="input"
      type="file"
      class="hidden"
      :accept="[accept, ...(gathers ?? [])].join(',')"
      :multiple="many || !!gathers?.length"
      :aria-label="`${label} file`"
      @change="chosen"
    />
    <input
      v-if="gathers?.length"
      ref="folderInput"
      type="file"
      class="hidden"
      webkitdirectory
      :aria-label="`${label} folder`"
      @change="chosenFolder"
    />
  </div>
</template>
