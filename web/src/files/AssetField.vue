<script setup lang="ts" generic="T extends { key: string }">
/** A choice among what is shipped and what the project brought along, and a way to bring more. */
import { Upload } from "@lucide/vue";
import { computed, onMounted, ref, shallowRef, useTemplateRef, watch } from "vue";

import { gathered } from "@/api/upload";
import { useOffers } from "@/api/offers";
import ListField from "@/controls/ListField.vue";
import { useShot } from "@/shot/store";

import BringingState from "./BringingState.vue";
import { bundlesOf } from "./bundles";
import { useBringing } from "./useBringing";

const props = defineProps<{
  label: string;
  modelValue: string;
  error?: string | undefined;
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
const emit = defineEmits<{ commit: [value: string]; brought: [file: T] }>();
const shot = useShot();
const offers = useOffers();
const own = shallowRef<T[]>([]);
const failure = ref("");
const bringing = useBringing(() => project.value);
const input = useTemplateRef("input");
const folderInput = useTemplateRef("folderInput");
const project = computed(() => shot.meta?.project_id ?? 0);
const options = computed(() => [
  ...own.value.map((one) => ({ name: one.key, ...props.describe(one) })),
  ...props.shipped,
]);

async function look() {
  own.value = await props.list(project.value);
}
onMounted(look);
// What was brought elsewhere, or by somebody else.
watch(
  () => props.modelValue,
  (key) => {
    if (key && !options.value.some((one) => one.name === key)) void look();
  },
);

/** Send what was chosen: one thing, or several of which the first that is taken is shown here. */
async function send(files: File[]) {
  if (!files.length || bringing.sending.value) return;
  failure.value = "";
  const all = await bundlesOf(files, offers.value?.library ?? {});
  const [first] = all;
  if (!first) return;
  const whole = gathered(files, props.gathers ?? []);
  const bundles = whole ? [{ ...first, files }] : props.many ? all : files.map((file) => ({ ...first, files: [file] }));
  let taken: T | undefined;
  const took = (_: unknown, file: T) => {
    taken ??= file;
    return "";
  };
  // What it is, is asked here; whoever reads it says if it is something else.
  await bringing.bring<T>(
    bundles.map((one) => ({ ...one, kind: props.folder })),
    took,
    () => `/api/projects/${project.value}/${props.folder}`,
  );
  if (!taken) return;
  // A file may be several that can be chosen.
  await look();
  emit("brought", taken);
  emit("commit", taken.key);
}
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
    <BringingState :bringing class="mt-1" />
    <button
      v-if="!bringing.sending.value"
      type="button"
      class="mt-1 inline-flex items-center gap-1 text-left text-select-ink underline underline-offset-2"
      @click="input?.click()"
    >
      <Upload :size="13" class="shrink-0" aria-hidden="true" />{{ invitation }}
    </button>
    <button
      v-if="gathers?.length && !bringing.sending.value"
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
