<script setup lang="ts">
/** Links by which anybody may look at a hand-off and download it, without signing in. */
import { Link2 } from "@lucide/vue";
import { ref, shallowRef } from "vue";

import { answer, api, Problem, type Schemas } from "@/api/client";
import PressButton from "@/controls/PressButton.vue";

const props = defineProps<{ handoff: number }>();
type Link = Schemas["LinkOut"];
const open = ref(false);
const links = shallowRef<Link[]>([]);
const days = ref("7");
const failure = ref("");
const copied = ref(0);
const busy = ref(false);
const DAYS = [
  { name: "1", title: "a day" },
  { name: "7", title: "a week" },
  { name: "30", title: "thirty days" },
  { name: "90", title: "ninety days" },
];
const place = () => ({ params: { path: { handoff_id: props.handoff } } });

async function attempt(what: () => Promise<unknown>) {
  failure.value = "";
  busy.value = true;
  try {
    await what();
    links.value = await answer(api.GET("/api/handoffs/{handoff_id}/links", place()));
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    failure.value = error.problems[0]?.message ?? error.message;
  } finally {
    busy.value = false;
  }
}
function toggle() {
  open.value = !open.value;
  if (open.value) void attempt(async () => {});
}
const whole = (link: Link) => `${window.location.origin}${link.path}`;
async function make() {
  await attempt(async () => {
    const link = await answer(
      api.POST("/api/handoffs/{handoff_id}/links", { ...place(), body: { days: Number(days.value) } }),
    );
    await copy(link);
  });
}
async function copy(link: Link) {
  try {
    await navigator.clipboard.writeText(whole(link));
    copied.value = link.id;
  } catch {
    // Some browsers let nobody write to the clipboard: the address stands there to be taken by hand.
    copied.value = 0;
  }
}
function end(link: Link) {
  void attempt(() =>
    api.DELETE("/api/handoffs/{handoff_id}/links/{link_id}", {
      params: { path: { handoff_id: props.handoff, link_id: link.id } },
    }),
  );
}
function day(text: string) {
  return new Date(text).toLocaleString(undefined, { dateStyle: "medium", timeStyle: "short" });
}
</script>

<template>
  <div>
    <button
      type="button"
      class="inline-flex items-center gap-1 text-select-ink underline underline-offset-2"
      :aria-expanded="open"
      @click="toggle"
    >
      <Link2 :size="14" aria-hidden="true" />{{ open ? "Close links" : "Share by a link" }}
    </button>
    <div v-if="open" class="mt-1 grid gap-2 border-l-2 border-line pl-2">
      <p class="text-soft">
        Whoever has the address reads the note, plays what browsers play and downloads the package, without signing in.
      </p>
      <div class="flex items-end gap-2">
        <label class="grid gap-0.5 text-soft"
          >It holds for
          <select v-model="days" class="rounded-sm border border-rule bg-sheet px-1.5 py-1 text-ink">
            <option v-for="one in DAYS" :key="one.name" :value="one.name">{{ one.title }}</option>
          </select></label
        >
        <PressButton :disabled="busy" @click="make">Make a link</PressButton>
      </div>
      <ul class="grid gap-2">
        <li v-for="link in links" :key="link.id" class="grid gap-0.5">
          <input
            class="w-full rounded-sm border border-rule bg-sheet px-1.5 py-1 font-mono text-xs"
            :value="whole(link)"
            readonly
            :aria-label="`Address of the link that holds until ${day(link.expires_at)}`"
            @focus="($event.target as HTMLInputElement).select()"
          />
          <span class="flex items-baseline gap-3 text-xs text-soft">
            <span
              >until {{ day(link.expires_at) }}; {{ link.visits === 1 ? "opened once" : `opened ${link.visits} times`
              }}{{ link.last_at ? `, last ${day(link.last_at)}` : "" }}</span
            >
            <button
              type="button"
              class="ml-auto text-select-ink underline underline-offset-2"
              :aria-label="`${copied === link.id ? 'Copied' : 'Copy'} the address of the link that holds until ${day(link.expires_at)}`"
              @click="copy(link)"
            >
              {{ copied === link.id ? "Copied" : "Copy" }}
            </button>
            <button
              type="button"
              class="text-now underline underline-offset-2"
              :aria-label="`End it, the link that holds until ${day(link.expires_at)}`"
              @click="end(link)"
            >
              End it
            </button>
          </span>
        </li>
      </ul>
      <p v-if="failure" class="text-now" role="alert">✕ {{ failure }}</p>
    </div>
  </div>
</template>
