<script setup lang="ts">
/** Who is in a project, and as what; owners let people in, change what they may, and put them out. */
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { answer, api, Problem, type Schemas } from "@/api/client";
import ChoiceField from "@/controls/ChoiceField.vue";
import PressButton from "@/controls/PressButton.vue";
import TextField from "@/controls/TextField.vue";

const props = defineProps<{ project: Schemas["ProjectOut"] }>();
type Member = Schemas["MemberOut"];
const router = useRouter();
const members = ref<Member[]>([]);
const name = ref("");
const role = ref("editor");
const problems = ref<Record<string, string>>({});
const failure = ref("");
/** The member whose place is about to end: asked once more, since it cannot be taken back from here. */
const leaving = ref<Member | null>(null);
const owns = computed(() => members.value.some((one) => one.you && one.role === "owner"));
const ROLES = [
  { name: "viewer", title: "viewer" },
  { name: "editor", title: "editor" },
  { name: "owner", title: "owner" },
];
const MAY: Record<string, string> = {
  viewer: "looks, proofs and downloads",
  editor: "changes shots, renders and hands off",
  owner: "also lets people in and puts the project away",
};
const path = () => ({ project_id: props.project.id });

async function tryTo(work: () => Promise<void>) {
  problems.value = {};
  failure.value = "";
  try {
    await work();
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    problems.value = Object.fromEntries(error.problems.map((one) => [one.field, one.message]));
    if (!problems.value.username) failure.value = error.message;
  }
}
async function load() {
  members.value = await answer(api.GET("/api/projects/{project_id}/members", { params: { path: path() } }));
}
watch(() => props.project.id, load, { immediate: true });

const share = () =>
  tryTo(async () => {
    const body = { username: name.value.trim(), role: role.value };
    members.value = await answer(api.POST("/api/projects/{project_id}/members", { params: { path: path() }, body }));
    name.value = "";
  });
const change = (member: Member, wanted: string) =>
  tryTo(async () => {
    members.value = await answer(
      api.PUT("/api/projects/{project_id}/members/{member_id}", {
        params: { path: { ...path(), member_id: member.id } },
        body: { role: wanted },
      }),
    );
  });
const remove = (member: Member) =>
  tryTo(async () => {
    leaving.value = null;
    const params = { path: { ...path(), member_id: member.id } };
    await api.DELETE("/api/projects/{project_id}/members/{member_id}", { params });
    if (member.you) await router.push("/");
    else await load();
  });
</script>

<template>
  <section class="mt-10 border-t border-line pt-3" aria-label="People">
    <h2 class="font-title text-lg">People</h2>
    <p class="text-soft">Nobody else sees this project.</p>
    <table class="mt-2 w-full max-w-3xl">
      <tbody>
        <tr v-for="one in members" :key="one.id" class="border-b border-line">
          <th scope="row" class="w-48 py-1.5 text-left font-semibold">
            {{ one.username }}<span v-if="one.you" class="font-normal text-soft"> (you)</span>
          </th>
          <td class="py-1.5">
            <ChoiceField
              v-if="owns"
              bare
              :label="`Role of ${one.username}`"
              :model-value="one.role"
              :options="ROLES"
              @commit="change(one, $event)"
            />
            <span v-else>{{ one.role }}</span>
          </td>
          <td class="py-1.5 text-soft">{{ MAY[one.role] }}</td>
          <td class="py-1.5 text-right">
            <template v-if="leaving?.id === one.id">
              <PressButton @click="remove(one)">{{
                one.you ? "Really leave" : `Really remove ${one.username}`
              }}</PressButton>
              <PressButton quiet @click="leaving = null">Stay</PressButton>
            </template>
            <PressButton v-else-if="one.you || owns" quiet @click="leaving = one">{{
              one.you ? "Leave" : "Remove"
            }}</PressButton>
          </td>
        </tr>
      </tbody>
    </table>
    <form v-if="owns" class="mt-3 flex items-end gap-4" @submit.prevent="share">
      <TextField
        class="w-56"
        label="Let in (name here)"
        :model-value="name"
        :error="problems.username"
        @update="name = $event"
      />
      <ChoiceField label="As" :model-value="role" :options="ROLES" @commit="role = $event" />
      <PressButton type="submit" :disabled="!name.trim()">Let in</PressButton>
    </form>
    <p v-if="failure" class="mt-2 text-now" role="alert">✕ {{ failure }}</p>
  </section>
</template>
