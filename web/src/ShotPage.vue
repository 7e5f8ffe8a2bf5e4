<script setup lang="ts">
import { Redo2, Undo2 } from "@lucide/vue";
import { computed, onBeforeUnmount, onMounted, ref, watch } from "vue";
import { useRouter } from "vue-router";

import { Problem } from "@/api/client";
import { useStudio } from "@/api/studio";
import PressButton from "@/controls/PressButton.vue";
import { surround } from "@/picture/grounds";
import { useRun } from "@/shot/run";
import { useShot } from "@/shot/store";

import BuildDesk from "./desks/build/BuildDesk.vue";
import HandOffDesk from "./desks/handoff/HandOffDesk.vue";
import ProofDesk from "./desks/proof/ProofDesk.vue";
import RunDesk from "./desks/run/RunDesk.vue";
import SplitDesk from "./desks/split/SplitDesk.vue";
import TimeDesk from "./desks/time/TimeDesk.vue";
import KeyList from "./KeyList.vue";
import StudioNotice from "./StudioNotice.vue";

const props = defineProps<{ id: number; desk: string }>();
const DESKS = [
  { name: "build", title: "Build", view: BuildDesk },
  { name: "time", title: "Time", view: TimeDesk },
  { name: "split", title: "Split", view: SplitDesk },
  { name: "run", title: "Run", view: RunDesk },
  { name: "proof", title: "Proof", view: ProofDesk },
  { name: "handoff", title: "Hand off", view: HandOffDesk },
];
const router = useRouter();
const shot = useShot();
const run = useRun();
const missing = ref("");
const keys = ref(false);
const view = computed(() => DESKS.find((one) => one.name === props.desk)?.view);
/** What the head says of the draft: read one by one, so that it is not drawn again at every step of a hand that drags something. */
const code = computed(() => shot.draft?.shot);
const title = computed(() => shot.draft?.title);
const saved = computed(() => {
  if (shot.looking) return shot.dirty ? "only looking: changes are not kept" : "only looking";
  if (shot.conflict !== null) return "not saved: changed elsewhere";
  if (shot.failure?.code === "offline") return "not saved: no connection";
  if (shot.dirty && shot.failure) return "not saved: see the marked field";
  return shot.saving || shot.dirty ? "saving…" : "saved";
});

async function open(id: number) {
  missing.value = "";
  try {
    await shot.open(id);
    await run.open(id);
  } catch (error) {
    missing.value = error instanceof Error ? error.message : String(error);
  }
}
watch(() => props.id, open, { immediate: true });
watch(
  [code, title],
  () => (document.title = code.value === undefined ? "Zeitbild" : `${code.value} ${title.value} · Zeitbild`),
  { immediate: true },
);

function isTyping(target: EventTarget | null) {
  return (
    target instanceof HTMLElement &&
    (target.isContentEditable || ["INPUT", "TEXTAREA", "SELECT"].includes(target.tagName))
  );
}
function pressed(event: KeyboardEvent) {
  const control = event.ctrlKey || event.metaKey;
  if (control && event.key.toLowerCase() === "z" && !isTyping(event.target)) {
    event.preventDefault();
    void (event.shiftKey ? shot.redo() : shot.undo());
    return;
  }
  if (control || event.altKey || isTyping(event.target)) return;
  const desk = DESKS[Number(event.key) - 1];
  const inList =
    event.target instanceof HTMLElement &&
    event.target.closest("[role=radiogroup],[role=listbox]:not([aria-label=Frames])");
  if (desk) void router.push(`/shots/${props.id}/${desk.name}`);
  else if (event.key === "?") keys.value = true;
  else if (event.key === "d") surround.dark = !surround.dark;
  else if (inList) return;
  else if (event.key === "ArrowDown") shot.walk(event.shiftKey ? 10 : 1);
  else if (event.key === "ArrowUp") shot.walk(event.shiftKey ? -10 : -1);
  else if (event.key === "Home") shot.walk(-1e9);
  else if (event.key === "End") shot.walk(1e9);
  else return;
  event.preventDefault();
}
function leaving(event: BeforeUnloadEvent) {
  if (shot.dirty && !shot.looking) event.preventDefault();
}
async function retrySave() {
  try {
    await shot.save();
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
  }
}
watch(useStudio().returned, async () => {
  await retrySave();
  if (run.run) await run.show(run.run.id);
});
onMounted(() => {
  window.addEventListener("keydown", pressed);
  window.addEventListener("beforeunload", leaving);
  window.addEventListener("online", retrySave);
});
onBeforeUnmount(() => {
  window.removeEventListener("keydown", pressed);
  window.removeEventListener("beforeunload", leaving);
  window.removeEventListener("online", retrySave);
  void retrySave();
  run.close();
});
</script>

<template>
  <p v-if="missing" class="p-8" role="alert">
    {{ missing }} <RouterLink to="/" class="underline">Back to your projects</RouterLink>
  </p>
  <div v-else-if="code !== undefined && shot.meta" class="flex h-screen min-w-[64rem] flex-col">
    <header class="flex h-12 shrink-0 items-stretch gap-4 border-b border-rule px-4">
      <RouterLink to="/" class="self-center font-title text-xl">Zeitbild</RouterLink>
      <nav class="flex min-w-0 items-center gap-1.5 text-soft" aria-label="Where you are">
        <RouterLink :to="`/projects/${shot.meta.project_id}`" class="truncate hover:underline">{{
          shot.meta.project_title
        }}</RouterLink>
        <span aria-hidden="true">/</span>
        <h1 class="truncate text-ink">
          <b class="font-semibold">{{ code }}</b> {{ title }}
        </h1>
      </nav>
      <nav class="mx-auto flex" aria-label="Desks">
        <RouterLink
          v-for="(one, at) in DESKS"
          :key="one.name"
          :to="`/shots/${id}/${one.name}`"
          class="-mb-px flex items-center gap-1.5 border-b-2 px-3"
          :class="one.name === desk ? 'border-ink font-semibold' : 'border-transparent text-soft hover:text-ink'"
          :aria-current="one.name === desk ? 'page' : undefined"
        >
          <span class="text-2xs text-soft" aria-hidden="true">{{ at + 1 }}</span>{{ one.title }}
        </RouterLink>
      </nav>
      <div class="flex items-center gap-1">
        <span class="mr-1 text-soft" role="status">{{ saved }}</span>
        <PressButton
          quiet
          :disabled="!shot.dirty && (shot.looking || !shot.meta.can_undo)"
          aria-label="Undo"
          title="Undo (Ctrl Z)"
          @click="shot.undo()"
          ><Undo2 :size="15" aria-hidden="true"
        /></PressButton>
        <PressButton
          quiet
          :disabled="shot.looking || !shot.meta.can_redo"
          aria-label="Redo"
          title="Redo (Ctrl Shift Z)"
          @click="shot.redo()"
          ><Redo2 :size="15" aria-hidden="true"
        /></PressButton>
        <PressButton quiet aria-label="Keys" title="Keys (?)" @click="keys = true">?</PressButton>
      </div>
    </header>
    <StudioNotice />
    <div
      v-if="shot.conflict !== null"
      class="flex items-center gap-3 border-b border-rule bg-warn/10 px-4 py-2"
      role="alert"
    >
      <span
        ><b class="font-semibold text-warn">△ This shot was changed elsewhere meanwhile.</b> Your change is still here
        and was not saved over it.</span
      >
      <PressButton class="ml-auto" @click="shot.takeTheirs()">Take the other state</PressButton>
      <PressButton primary @click="shot.keepMine()">Keep mine, as the newer revision</PressButton>
    </div>
    <component :is="view" />
  </div>
  <KeyList :open="keys" @close="keys = false" />
</template>
