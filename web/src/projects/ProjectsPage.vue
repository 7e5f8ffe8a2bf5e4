<script setup lang="ts">
import { computed, onMounted, ref } from "vue";
import { useRouter } from "vue-router";

import { answer, api, Problem, type Schemas } from "@/api/client";
import PressButton from "@/controls/PressButton.vue";

import PageHead from "./PageHead.vue";
import ProjectForm from "./ProjectForm.vue";
import PutAway from "./PutAway.vue";
import UndoNote from "./UndoNote.vue";
import { awayRow } from "./away";
import { counted } from "@/controls/counted";

type Project = Schemas["ProjectOut"];
const router = useRouter();
const projects = ref<Project[] | null>(null);
const making = ref(false);
const problems = ref<Record<string, string>>({});
const failure = ref("");
const deleted = ref<Project | null>(null);
const putAway = ref<Project[]>([]);

async function load() {
  projects.value = await answer(api.GET("/api/projects"));
  const away = await answer(api.GET("/api/projects", { params: { query: { deleted: true } } }));
  // Only their owners may bring them back.
  putAway.value = away.filter((one) => one.role === "owner");
}
onMounted(load);

async function make(body: Schemas["ProjectIn"]) {
  problems.value = {};
  failure.value = "";
  try {
    const project = await answer(api.POST("/api/projects", { body }));
    await router.push(`/projects/${project.id}`);
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    failure.value = error.message;
    problems.value = Object.fromEntries(error.problems.map((one) => [one.field, one.message]));
  }
}
async function duplicate(project: Project) {
  await api.POST("/api/projects/{project_id}/duplicate", { params: { path: { project_id: project.id } } });
  await load();
}
async function remove(project: Project) {
  await api.DELETE("/api/projects/{project_id}", { params: { path: { project_id: project.id } } });
  deleted.value = project;
  await load();
}
async function bringBack(id: number) {
  await answer(api.POST("/api/projects/{project_id}/restore", { params: { path: { project_id: id } } }));
  if (deleted.value?.id === id) deleted.value = null;
  await load();
}
const away = computed(() => putAway.value.map((one) => awayRow(one, counted(one.shot_count, "shot"))));
</script>

<template>
  <PageHead />
  <main class="mx-auto max-w-4xl px-6 py-8">
    <div class="mb-4 flex items-end justify-between border-b-2 border-ink pb-2">
      <h1 class="font-title text-3xl">Projects</h1>
      <PressButton primary @click="making = !making">New project</PressButton>
    </div>
    <ProjectForm
      v-if="making"
      class="mb-6"
      :problems
      :failure
      action="Make project"
      @submit="make"
      @cancel="making = false"
    />
    <p v-if="projects && !projects.length && !making" class="py-10 text-soft">
      No projects yet. A project holds the shots of one job and what they start with: raster, rate and file-name rule.
    </p>
    <ul v-if="projects">
      <li v-for="project in projects" :key="project.id" class="border-b border-line py-4">
        <div class="flex items-baseline gap-4">
          <RouterLink :to="`/projects/${project.id}`" class="font-title text-xl hover:underline">{{
            project.title
          }}</RouterLink>
          <span class="text-soft">{{ project.code }}</span>
          <span class="text-soft">{{ counted(project.shot_count, "shot") }}</span>
          <span class="ml-auto flex gap-1">
            <PressButton v-if="project.role !== 'viewer'" quiet @click="duplicate(project)">Duplicate</PressButton>
            <PressButton v-if="project.role === 'owner'" quiet @click="remove(project)">Delete</PressButton>
          </span>
        </div>
        <!-- What was worked on last, and straight to it. -->
        <div v-if="project.shown.length" class="mt-3 grid grid-cols-5 gap-3">
          <RouterLink
            v-for="shot in project.shown"
            :key="shot.shot"
            :to="`/shots/${shot.shot}/build`"
            :title="shot.title"
            class="block aspect-video bg-[#808080] outline-offset-2 hover:outline-2 hover:outline-ink"
          >
            <img
              :src="`/api/shots/${shot.shot}/poster/${shot.revision}`"
              :alt="shot.title"
              class="size-full object-contain"
              loading="lazy"
            />
          </RouterLink>
        </div>
      </li>
    </ul>
    <PutAway title="Put away" :rows="away" one="project" changes :bring="(row) => bringBack(Number(row.key))" />
  </main>
  <UndoNote
    v-if="deleted"
    :text="`“${deleted.title}” is put away with its ${counted(deleted.shot_count, 'shot')}.`"
    @undo="bringBack(deleted.id)"
    @close="deleted = null"
  />
</template>
