<script setup lang="ts">
/** Everything that a project brought along: what it looks like, where it is used, put away, or replaced wherever it is used. */
import { computed, onMounted, ref, shallowRef, useTemplateRef } from "vue";

import { answer, api, Problem, type Schemas } from "@/api/client";
import { type Kept, useKept } from "@/api/kept";
import { useOffers } from "@/api/offers";
import PressButton from "@/controls/PressButton.vue";
import BringingState from "@/files/BringingState.vue";
import { bundlesOf } from "@/files/bundles";
import { useBringing } from "@/files/useBringing";
import { useDrops } from "@/files/useDrops";
import { megabytes } from "@/shot/cellMarks";

import type { Away } from "./away";
import PutAway from "./PutAway.vue";
import UndoNote from "./UndoNote.vue";
import { counted } from "@/controls/counted";

const props = defineProps<{ projectId: number; changes: boolean }>();
type Row = Schemas["BroughtOut"];
const offers = useOffers();
const rows = shallowRef<Row[]>([]);
const open = ref(false);
const failure = ref("");
const wanted = ref("");
const gone = shallowRef<Row | null>(null);
const awayRows = shallowRef<Row[]>([]);
const bringing = useBringing(() => props.projectId);
const picker = useTemplateRef("picker");
let instead: Row | null = null;

const project = () => ({ project_id: props.projectId });
async function load() {
  rows.value = await answer(api.GET("/api/projects/{project_id}/library", { params: { path: project() } }));
  const deleted = { path: project(), query: { deleted: true } };
  awayRows.value = await answer(api.GET("/api/projects/{project_id}/library", { params: deleted }));
}
onMounted(async () => {
  await Promise.all([load(), kept.loadAway()]);
  open.value ||= rows.value.length > 0;
});
function tell(error: unknown) {
  if (!(error instanceof Problem)) throw error;
  failure.value = error.message;
}
function shown() {
  const letters = wanted.value.trim().toLowerCase();
  return rows.value.filter((row) => `${row.title} ${row.kind_title}`.toLowerCase().includes(letters));
}
async function bring(files: File[]) {
  open.value = true;
  failure.value = "";
  await bringing.bring(await bundlesOf(files, offers.value?.library ?? {}));
  await load();
}
function pick(row: Row | null) {
  instead = row;
  picker.value?.click();
}
async function picked(event: Event) {
  const target = event.target as HTMLInputElement;
  const files = [...(target.files ?? [])];
  target.value = "";
  if (!files.length) return;
  const row = instead;
  if (!row) return bring(files);
  failure.value = "";
  const all = [{ files, kind: row.kind, name: row.title }];
  const place = `/api/projects/${props.projectId}/replace/${row.sha256}/${row.kind}`;
  await bringing.bring<Schemas["ReplacedOut"]>(
    all,
    (_, found) => replaced(row, found.shots),
    () => place,
  );
  await load();
}
function replaced(row: Row, shots: string[]) {
  if (!shots.length) return `It is there beside ${row.title}, which is used nowhere.`;
  return `${shots.join(", ")} ${shots.length > 1 ? "have" : "has"} it now in place of ${row.title}; undo there takes it back.`;
}
async function putAway(row: Row) {
  bringing.clear();
  failure.value = "";
  try {
    await api.DELETE("/api/projects/{project_id}/library/{kind}/{sha256}", {
      params: { path: { ...project(), kind: row.kind, sha256: row.sha256 } },
    });
    gone.value = row;
    await load();
  } catch (error) {
    tell(error);
  }
}
const KINDS: Record<string, string> = {
  finish: "Finish",
  lights: "Lights",
  camera: "Camera",
  element: "Element",
  forms: "Hand-off",
};
const kept = useKept(computed(() => props.projectId));
const left = shallowRef<Kept | null>(null);
/** The recipes of a kept hand-off. */
function formsIn(one: Kept) {
  return (one.content as { recipe: string }[]).map((form) => form.recipe).join(", ");
}
async function letGo(one: Kept) {
  await kept.letGo(one);
  left.value = one;
}
async function takeBack() {
  const one = left.value;
  left.value = null;
  try {
    if (one) await kept.takeBack(one);
  } catch (error) {
    tell(error);
  }
}
const away = computed<Away[]>(() => [
  ...kept.away().map((one) => ({
    key: `kept/${one.id}`,
    code: "",
    title: one.name,
    note: KINDS[one.kind] ?? one.kind,
  })),
  ...awayRows.value.map((row) => ({
    key: `${row.kind}/${row.sha256}`,
    code: "",
    title: row.title,
    note: `${row.kind_title}, ${megabytes(row.bytes)}`,
  })),
]);
async function bringBack(key: string) {
  const [kind = "", sha256 = ""] = key.split("/");
  if (kind === "kept") {
    const one = kept.away().find((own) => String(own.id) === sha256);
    if (one) await kept.takeBack(one);
    if (left.value?.id === one?.id) left.value = null;
    return;
  }
  await answer(
    api.POST("/api/projects/{project_id}/library/{kind}/{sha256}/back", {
      params: { path: { ...project(), kind, sha256 } },
    }),
  );
  gone.value = null;
  await load();
}
useDrops(async (files) => {
  if (props.changes) await bring(files);
});
</script>

<template>
  <section class="mt-8 border-t border-line pt-3" aria-label="Library">
    <div class="flex items-center gap-3">
      <h2 class="font-title text-lg">Library</h2>
      <span class="text-soft">{{ counted(rows.length, "file") }}</span>
      <PressButton quiet :aria-expanded="open" @click="open = !open">{{ open ? "Close" : "Show" }}</PressButton>
      <PressButton v-if="changes" class="ml-auto" :disabled="bringing.sending.value !== null" @click="pick(null)"
        >Bring files</PressButton
      >
    </div>
    <BringingState :bringing class="mt-1" />
    <p v-if="failure" class="mt-1 text-now" role="alert">✕ {{ failure }}</p>
    <input ref="picker" type="file" class="hidden" multiple aria-label="Files for the library" @change="picked" />
    <template v-if="open">
      <p v-if="!rows.length" class="py-4 text-soft">
        Nothing yet. Fonts, drawings, models, pictures, sequences and movies that somebody brings stand here, each once;
        drop files or a folder here, or on the Build desk.
      </p>
      <input
        v-if="rows.length > 12"
        v-model="wanted"
        type="search"
        class="mt-2 w-72 rounded-sm border border-rule bg-sheet px-1.5 py-1"
        placeholder="Find a file"
        aria-label="Find a file"
      />
      <template v-if="kept.all().length">
        <h3 class="mt-3 font-title text-[0.95rem]">Kept under a name</h3>
        <ul class="mt-1 grid grid-cols-6 gap-3">
          <li v-for="one in kept.all()" :key="one.id">
            <span class="relative block aspect-3/2 bg-[#808080]">
              <img
                v-if="one.kind !== 'forms'"
                :src="kept.picture(one)"
                alt=""
                class="relative size-full object-contain"
                loading="lazy"
              />
              <span v-else class="block overflow-hidden p-2 text-white">{{ formsIn(one) }}</span>
            </span>
            <b class="mt-1 block truncate font-semibold" :title="one.name">{{ one.name }}</b>
            <span class="flex items-center justify-between text-soft"
              >{{ KINDS[one.kind] ?? one.kind }}
              <button
                v-if="changes"
                type="button"
                class="underline underline-offset-2"
                :aria-label="`Delete ${one.name}`"
                @click="letGo(one)"
              >
                Delete
              </button></span
            >
          </li>
        </ul>
      </template>
      <ul class="mt-3 grid grid-cols-4 gap-4">
        <li v-for="row in shown()" :key="`${row.kind} ${row.sha256}`">
          <span class="relative block aspect-3/2 bg-[#808080]">
            <span class="absolute inset-0 grid place-items-center text-ink/60">rendering …</span>
            <img
              :src="`/api/projects/${projectId}/library/${row.kind}/${row.sha256}/poster`"
              alt=""
              class="relative size-full object-contain"
              loading="lazy"
            />
          </span>
          <b class="mt-1 block truncate font-semibold" :title="row.title">{{ row.title }}</b>
          <span class="block text-soft">{{ row.kind_title }}, {{ megabytes(row.bytes) }}</span>
          <span v-if="row.note" class="block truncate text-soft" :title="row.note">{{ row.note }}</span>
          <span class="block">
            <template v-if="row.uses.length"
              >In
              <template v-for="(use, at) in row.uses" :key="use.shot"
                ><RouterLink
                  :to="`/shots/${use.shot}/build`"
                  class="text-select-ink underline underline-offset-2"
                  :title="use.elements.join(', ')"
                  >{{ use.code }}</RouterLink
                ><template v-if="at < row.uses.length - 1">, </template></template
              ></template
            >
            <span v-else class="text-soft">Used nowhere</span>
          </span>
          <div v-if="changes" class="-ml-2.5 flex">
            <PressButton quiet :disabled="bringing.sending.value !== null" @click="pick(row)">Replace</PressButton>
            <PressButton v-if="!row.uses.length" quiet @click="putAway(row)">Delete</PressButton>
          </div>
        </li>
      </ul>
      <PutAway title="Put away from here" :rows="away" one="thing" :changes :bring="(row) => bringBack(row.key)" />
    </template>
  </section>
  <UndoNote
    v-if="gone"
    :text="`${gone.title} is put away.`"
    @undo="bringBack(`${gone.kind}/${gone.sha256}`)"
    @close="gone = null"
  />
  <UndoNote
    v-else-if="left"
    :text="`${left.name} is put away; shots that took it keep it.`"
    @undo="takeBack"
    @close="left = null"
  />
</template>
