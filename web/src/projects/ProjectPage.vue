<script setup lang="ts">
import { computed, onMounted, ref } from "vue";
import { useRouter } from "vue-router";

import { answer, api, Problem, type Schemas } from "@/api/client";
import PressButton from "@/controls/PressButton.vue";
import TextField from "@/controls/TextField.vue";

import DiskSection from "./DiskSection.vue";
import JournalSection from "./JournalSection.vue";
import LibrarySection from "./LibrarySection.vue";
import PageHead from "./PageHead.vue";
import PeopleSection from "./PeopleSection.vue";
import ProjectForm from "./ProjectForm.vue";
import PutAway from "./PutAway.vue";
import UndoNote from "./UndoNote.vue";
import { awayRow } from "./away";
import { counted } from "@/controls/counted";

const props = defineProps<{ id: number }>();
type Shot = Schemas["ShotRow"];
const router = useRouter();
const project = ref<Schemas["ProjectOut"] | null>(null);
const shots = ref<Shot[]>([]);
const missing = ref("");
const making = ref(false);
const changing = ref(false);
const code = ref("");
const title = ref("");
const problems = ref<Record<string, string>>({});
const failure = ref("");
const deleted = ref<Shot | null>(null);
const putAway = ref<Shot[]>([]);
const changes = computed(() => project.value !== null && project.value.role !== "viewer");
const path = { params: { path: { project_id: props.id } } };

function take(error: unknown) {
  if (!(error instanceof Problem)) throw error;
  failure.value = error.message;
  problems.value = Object.fromEntries(error.problems.map((one) => [one.field, one.message]));
}
async function tryTo(work: () => Promise<void>) {
  problems.value = {};
  failure.value = "";
  try {
    await work();
  } catch (error) {
    take(error);
  }
}
async function load() {
  try {
    // Both at once: without its shots a project looks empty, and its next code is a wrong one.
    const [own, itsShots] = await Promise.all([
      answer(api.GET("/api/projects/{project_id}", path)),
      answer(api.GET("/api/projects/{project_id}/shots", path)),
    ]);
    shots.value = itsShots;
    project.value = own;
  } catch (error) {
    missing.value = error instanceof Error ? error.message : String(error);
    return;
  }
  // Nobody waits for what was put away.
  const query = { deleted: true };
  putAway.value = await answer(api.GET("/api/projects/{project_id}/shots", { params: { ...path.params, query } }));
}
onMounted(load);

/** The code that comes next: ten after the highest number, with as many digits. */
const nextCode = computed(() => {
  const found = shots.value.map((one) => /^(.*?)(\d+)$/.exec(one.code)).filter((one) => one !== null);
  const last = found.sort((one, other) => Number(one[2]) - Number(other[2])).at(-1);
  if (!last) return project.value ? `${project.value.code}010` : "";
  const digits = last[2] ?? "";
  return `${last[1]}${String((Math.floor(Number(digits) / 10) + 1) * 10).padStart(digits.length, "0")}`;
});
function openForm() {
  making.value = !making.value;
  code.value ||= nextCode.value;
}
const make = () =>
  tryTo(async () => {
    const shot = await answer(
      api.POST("/api/projects/{project_id}/shots", {
        ...path,
        body: { code: code.value.trim(), title: title.value.trim() },
      }),
    );
    await router.push(`/shots/${shot.id}/build`);
  });
const change = (body: Schemas["ProjectIn"]) =>
  tryTo(async () => {
    project.value = await answer(api.PUT("/api/projects/{project_id}", { ...path, body }));
    changing.value = false;
  });
async function duplicate(shot: Shot) {
  await api.POST("/api/shots/{shot_id}/duplicate", { params: { path: { shot_id: shot.id } } });
  await load();
}
async function remove(shot: Shot) {
  await api.DELETE("/api/shots/{shot_id}", { params: { path: { shot_id: shot.id } } });
  deleted.value = shot;
  await load();
}
async function bringBack(id: number) {
  await answer(api.POST("/api/shots/{shot_id}/restore", { params: { path: { shot_id: id } } }));
  if (deleted.value?.id === id) deleted.value = null;
  await load();
}
const away = computed(() => putAway.value.map((one) => awayRow(one, counted(one.frames, "frame"))));
const undo = () =>
  tryTo(async () => {
    if (deleted.value) await bringBack(deleted.value.id);
  });
</script>

<template>
  <PageHead
    ><RouterLink to="/" class="hover:underline">Projects</RouterLink
    ><span v-if="project">/ {{ project.title }}</span></PageHead
  >
  <main class="mx-auto max-w-5xl px-6 py-8">
    <p v-if="missing" role="alert">
      {{ missing }} <RouterLink to="/" class="underline">Back to your projects</RouterLink>
    </p>
    <template v-else-if="project">
      <div class="mb-4 flex items-end gap-3 border-b-2 border-ink pb-2">
        <h1 class="font-title text-3xl">{{ project.title }}</h1>
        <span class="pb-1 text-soft">{{ project.code }}</span>
        <template v-if="changes">
          <PressButton class="ml-auto" @click="changing = !changing">Rename and defaults</PressButton>
          <PressButton primary @click="openForm">New shot</PressButton>
        </template>
      </div>
      <ProjectForm
        v-if="changing"
        class="mb-6"
        :problems
        :failure
        :start="project"
        action="Keep"
        @submit="change"
        @cancel="changing = false"
      />
      <form v-if="making" class="mb-6 flex items-start gap-3 border border-rule bg-sheet p-4" @submit.prevent="make">
        <TextField class="w-32" label="Code" :model-value="code" :error="problems.shot" @update="code = $event" />
        <TextField
          class="flex-1"
          label="Title"
          first
          :model-value="title"
          :error="problems.title"
          @update="title = $event"
        />
        <!-- Beside the fields, whose labels stand above and whose errors below. -->
        <PressButton class="mt-5.5" type="submit" primary>Make shot</PressButton>
      </form>
      <p v-if="!shots.length && !making" class="py-10 text-soft">
        No shots yet. A new shot starts with a word, three lights and a camera; “New shot” makes one.
      </p>
      <ul class="grid grid-cols-3 gap-5">
        <li v-for="shot in shots" :key="shot.id" class="group">
          <RouterLink :to="`/shots/${shot.id}/build`" class="block">
            <span class="relative block aspect-video bg-[#808080]">
              <span class="absolute inset-0 grid place-items-center text-ink/60">rendering …</span>
              <img
                :src="`/api/shots/${shot.id}/poster/${shot.revision}`"
                alt=""
                class="relative size-full object-contain"
                loading="lazy"
              />
            </span>
            <span class="mt-1.5 flex items-baseline gap-2"
              ><b class="font-semibold">{{ shot.code }}</b
              ><span class="truncate font-title text-base group-hover:underline">{{ shot.title }}</span></span
            >
          </RouterLink>
          <div class="flex items-center gap-1 text-soft">
            <span
              >{{ counted(shot.frames, "frame") }}, {{ shot.rate }} a second, {{ shot.width }} × {{ shot.height }}</span
            >
          </div>
          <div v-if="changes" class="-ml-2.5 flex">
            <PressButton quiet @click="duplicate(shot)">Duplicate</PressButton>
            <PressButton quiet @click="remove(shot)">Delete</PressButton>
          </div>
        </li>
      </ul>
      <PutAway title="Put away" :rows="away" one="shot" :changes :bring="(row) => bringBack(Number(row.key))" />
      <LibrarySection :project-id="project.id" :changes />
      <PeopleSection :project />
      <DiskSection :project-id="project.id" :changes />
      <JournalSection v-if="project.role === 'owner'" :project-id="project.id" />
    </template>
  </main>
  <UndoNote
    v-if="deleted"
    :text="`${deleted.code} is put away with its runs and hand-offs.`"
    @undo="undo"
    @close="deleted = null"
  />
</template>
