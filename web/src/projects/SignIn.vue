<script setup lang="ts">
import { ref } from "vue";

import { useSession } from "@/api/session";
import PressButton from "@/controls/PressButton.vue";
import TextField from "@/controls/TextField.vue";

const session = useSession();
const username = ref("");
const password = ref("");
const failure = ref("");
const busy = ref(false);

async function submit() {
  busy.value = true;
  failure.value = "";
  try {
    await session.signIn(username.value, password.value);
  } catch (error) {
    failure.value = error instanceof Error ? error.message : String(error);
  } finally {
    busy.value = false;
  }
}
</script>

<template>
  <main class="grid min-h-screen place-items-center p-6">
    <form class="grid w-80 gap-3 border-t-2 border-ink pt-4" @submit.prevent="submit">
      <h1 class="font-title text-3xl">Zeitbild</h1>
      <p class="text-soft">Elements with nothing behind them, rendered, proved and handed over.</p>
      <TextField label="Name" :model-value="username" autocomplete="username" @update="username = $event" />
      <TextField
        label="Password"
        type="password"
        :model-value="password"
        autocomplete="current-password"
        @update="password = $event"
      />
      <p v-if="failure" class="text-now" role="alert">✕ {{ failure }}</p>
      <PressButton type="submit" primary :disabled="busy">Sign in</PressButton>
    </form>
  </main>
</template>
