<script setup lang="ts">
/** Everything that a project brought along: what it looks like, where it is used, put away, or replaced wherever it is used. */
import { computed, onMounted, ref, shallowRef, useTemplateRef } from "vue";

import { answer, api, Problem, type Schemas } from "@/api/client";
import { type Kept, useKept } from "@/api/kept";
import { useOffers } from "@/api/offers";
import { filesOf, together, upload } from "@/api/upload";
import PressButton from "@/controls/PressButton.vue";
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
const said = ref("");
const failure = ref("");
const wanted = ref("");
const gone = shallowRef<Row | null>(null);
const awayRows = shallowRef<Row[]>([]);
/** How much of a file is there while it is sent, less than 0 while none is. */
const sent = ref(-1);
let stop: AbortController | null = null;
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
/** The kind of the library that files of such a name are of, fonts among them. */
function kindOf(name: string): string {
  if (/\.(ttf|otf|ttc|otc)$/i.test(name)) return "fonts";
  const found = Object.entries(offers.value?.library ?? {}).find(([, one]) =>
    one.suffixes.some((ending) => name.toLowerCase().endsWith(ending)),
  );
  return found?.[0] ?? "";
}
async function send(address: string, files: File[]): Promise<unknown> {
  sent.value = 0;
  failure.value = said.value = "";
  stop = new AbortController();
  try {
    return await upload(address, files, (share) => (sent.value = share), stop.signal);
  } catch (error) {
    tell(error);
    return null;
  } finally {
    sent.value = -1;
  }
}
async function bring(files: File[]) {
  open.value = true;
  for (const own of together(files)) {
    // Of a model and what it names the model says what it is.
    const named = own.map((file) => kindOf(file.name));
    const kind = named.includes("models") ? "models" : (named[0] ?? "");
    if (!kind) {
      failure.value = `${own[0]?.name} is nothing that elements show: fonts, drawings, models, pictures and movies are.`;
      continue;
    }
    const place = kind === "fonts" ? "fonts" : `files/${kind}`;
    if ((await send(`/api/projects/${props.projectId}/${place}`, own)) === null) break;
  }
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
  const found = (await send(`/api/projects/${props.projectId}/replace/${row.sha256}/${row.kind}`, files)) as
    Schemas["ReplacedOut"] | null;
  if (found)
    said.value = found.shots.length
      ? `${found.shots.join(", ")} ${found.shots.length > 1 ? "have" : "has"} it now in place of ${row.title}; undo there takes it back.`
      : `It is there beside ${row.title}, which is used nowhere.`;
  await load();
}
async function putAway(row: Row) {
  failure.value = said.value = "";
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
async function drop(event: DragEvent) {
  if (!props.changes || !event.dataTransfer?.types.includes("Files")) return;
  event.preventDefault();
  open.value = true;
  await bring(await filesOf(event.dataTransfer));
}
</script>

<template>
  <section class="mt-8 border-t border-line pt-3" aria-label="Library" @drop="drop" @dragover.prevent>
    <div class="flex items-center gap-3">
      <h2 class="font-title text-lg">Library</h2>
      <span class="text-soft">{{ counted(rows.length, "file") }}</span>
      <PressButton quiet :aria-expanded="open" @click="open = !open">{{ open ? "Close" : "Show" }}</PressButton>
      <PressButton v-if="changes" class="ml-auto" :disabled="sent >= 0" @click="pick(null)">Bring files</PressButton>
    </div>
    <p v-if="sent >= 0" class="mt-1 flex items-center gap-2" role="status">
      <progress v-if="sent < 1" class="h-2 w-40 accent-select-ink" :value="sent" aria-label="Sent"></progress>
      {{ sent < 1 ? `Sending, ${Math.floor(sent * 100)} %` : "Reading the file…" }}
      <button type="button" class="text-select-ink underline underline-offset-2" @click="stop?.abort()">Stop</button>
    </p>
    <p v-if="said" class="mt-1 text-done" role="status">✓ {{ said }}</p>
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
            <PressButton quiet :disabled="sent >= 0" @click="pick(row)">Replace</PressButton>
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
