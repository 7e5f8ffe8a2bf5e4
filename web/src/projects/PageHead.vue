<script setup lang="ts">
import { useSession } from "@/api/session";
import PressButton from "@/controls/PressButton.vue";
import StudioNotice from "@/StudioNotice.vue";

const session = useSession();
async function leave() {
  await session.signOut();
  window.location.assign("/");
}
</script>

<template>
  <header class="flex h-12 items-center gap-4 border-b border-rule px-4">
    <RouterLink to="/" class="font-title text-xl">Zeitbild</RouterLink>
    <nav class="flex items-center gap-2 text-soft" aria-label="Where you are"><slot /></nav>
    <RouterLink to="/account" class="ml-auto text-soft hover:underline" title="Password and sessions">{{
      session.name.value
    }}</RouterLink>
    <PressButton quiet @click="leave">Sign out</PressButton>
  </header>
  <StudioNotice />
</template>
