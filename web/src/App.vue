<script setup lang="ts">
import { onMounted, ref, watch } from "vue";

import { loadOffers } from "@/api/offers";
import { useSession } from "@/api/session";
import { watchStudio } from "@/api/studio";

import SignIn from "./projects/SignIn.vue";

const session = useSession();
const ready = ref(false);
const failure = ref("");

async function enter() {
  try {
    await loadOffers();
    ready.value = true;
  } catch (error) {
    failure.value = String(error instanceof Error ? error.message : error);
  }
}
watch(session.name, (name) => name && void enter());
/** A file that is dropped where nobody takes it must not take the place of the page. */
function stay(event: DragEvent) {
  if (event.dataTransfer?.types.includes("Files")) event.preventDefault();
}
onMounted(async () => {
  window.addEventListener("dragover", stay);
  window.addEventListener("drop", stay);
  watchStudio();
  try {
    await session.look();
  } catch (error) {
    failure.value = String(error instanceof Error ? error.message : error);
  }
});
</script>

<template>
  <p v-if="failure" class="p-8" role="alert">{{ failure }}</p>
  <SignIn v-else-if="session.known.value && !session.name.value" />
  <RouterView v-else-if="ready" />
</template>
