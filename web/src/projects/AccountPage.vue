<script setup lang="ts">
/** One's own password, and an end to all sessions. */
import { ref } from "vue";

import { answer, api, Problem } from "@/api/client";
import { useSession } from "@/api/session";
import PressButton from "@/controls/PressButton.vue";
import TextField from "@/controls/TextField.vue";

import PageHead from "./PageHead.vue";

const session = useSession();
const old = ref("");
const fresh = ref("");
const again = ref("");
const problems = ref<Record<string, string>>({});
const said = ref("");

async function change() {
  problems.value = {};
  said.value = "";
  if (fresh.value !== again.value) {
    problems.value = { again: "These are not the same." };
    return;
  }
  try {
    await answer(api.PUT("/api/session/password", { body: { old: old.value, new: fresh.value } }));
    old.value = fresh.value = again.value = "";
    said.value = "Your password is changed. Wherever else you were signed in, you no longer are.";
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    problems.value = error.problems.length
      ? Object.fromEntries(error.problems.map((one) => [one.field, one.message]))
      : { new: error.message };
  }
}
async function leaveEverywhere() {
  await api.DELETE("/api/session", { params: { query: { everywhere: true } } });
  window.location.assign("/");
}
</script>

<template>
  <PageHead><RouterLink to="/" class="hover:underline">Projects</RouterLink><span>/ You</span></PageHead>
  <main class="mx-auto max-w-4xl px-6 py-8">
    <h1 class="mb-4 border-b-2 border-ink pb-2 font-title text-3xl">{{ session.name.value }}</h1>
    <form class="grid w-96 gap-3" @submit.prevent="change">
      <h2 class="font-title text-lg">Another password</h2>
      <TextField
        label="Password now"
        type="password"
        autocomplete="current-password"
        :model-value="old"
        :error="problems.old"
        @update="old = $event"
      />
      <TextField
        label="New password (ten characters or more)"
        type="password"
        autocomplete="new-password"
        :model-value="fresh"
        :error="problems.new"
        @update="fresh = $event"
      />
      <TextField
        label="New password once more"
        type="password"
        autocomplete="new-password"
        :model-value="again"
        :error="problems.again"
        @update="again = $event"
      />
      <PressButton type="submit" primary class="justify-self-start" :disabled="!old || !fresh">Change it</PressButton>
      <p v-if="said" class="text-done" role="status">✓ {{ said }}</p>
    </form>
    <section class="mt-8 grid w-96 gap-2 border-t border-line pt-3">
      <h2 class="font-title text-lg">Sessions</h2>
      <p class="text-soft">Ends every session of yours, on every machine, this one too.</p>
      <PressButton class="justify-self-start" @click="leaveEverywhere">Sign out everywhere</PressButton>
    </section>
  </main>
</template>
