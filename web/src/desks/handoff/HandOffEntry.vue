<script setup lang="ts">
import { Columns2, Download } from "@lucide/vue";
import { computed, ref } from "vue";

import type { Schemas } from "@/api/client";
import PressButton from "@/controls/PressButton.vue";
import ProgressBar from "@/controls/ProgressBar.vue";
import { duration, megabytes } from "@/shot/cellMarks";

import CompareList from "./CompareList.vue";
import { type LookedAt } from "./forms";
import ShareLinks from "./ShareLinks.vue";
import { counted } from "@/controls/counted";

const props = defineProps<{
  handoff: Schemas["HandOffOut"];
  /** Finished versions before it, newest first. */
  earlier: Schemas["HandOffOut"][];
  looking?: boolean;
}>();
const emit = defineEmits<{
  steer: [verb: "stop" | "continue" | "retry"];
  look: [what: LookedAt];
  beside: [what: { earlier: Schemas["HandOffOut"]; runs: [number, number] } | null];
}>();
const comparing = ref(false);
function compare() {
  comparing.value = !comparing.value;
  if (!comparing.value) emit("beside", null);
}
const underWay = computed(() => props.handoff.state === "waiting" || props.handoff.state === "writing");
const percent = (share: number) => `${Math.floor(100 * Math.min(share, 1))} %`;
/** Files of a form that can be looked at here, each with the address of its bytes. */
function looks(number: number): LookedAt[] {
  return (props.handoff.forms[number]?.shown ?? []).map((path, at) => ({
    address: `/api/handoffs/${props.handoff.id}/forms/${number}/shown/${at}`,
    title: `v${String(props.handoff.version).padStart(3, "0")} ${path.slice(path.lastIndexOf("/") + 1)}`,
    moves: /\.(webm|mp4)$/.test(path),
  }));
}
type Form = Schemas["FormOut"];
/** How far a form is from what was rendered, in words. */
function off(form: Form) {
  if (form.unit === "absolute") return form.worst ? `off by ${form.worst.toPrecision(2)}` : "every number kept";
  return form.unit === "of 255" ? `off by ${form.worst.toFixed(0)} of 255 at worst` : "nothing lost but rounding";
}
const STATES: Record<string, string> = {
  waiting: "· waits for the worker",
  writing: "▸ writing and reading back",
  stopped: "∥ stopped",
  done: "✓ verified",
  failed: "✕ failed",
};
/** While its run is not done, a hand-off waits for that. */
const WAITS_FOR: Record<string, string> = {
  waiting: "· waits for its run",
  running: "· waits for its run",
  stopped: "· waits: its run is stopped",
};
const standing = computed(() => {
  if (props.handoff.stopping) return "▸ stopping";
  const waits = props.handoff.state === "waiting" ? WAITS_FOR[props.handoff.run_state] : undefined;
  return waits ?? STATES[props.handoff.state];
});
</script>

<template>
  <section class="grid gap-1 border-t border-line px-3 py-2" :aria-label="`Version ${handoff.version}`">
    <div class="flex items-baseline justify-between">
      <h3 class="font-title text-lg">v{{ String(handoff.version).padStart(3, "0") }}</h3>
      <span
        :class="
          handoff.state === 'failed'
            ? 'font-semibold text-now'
            : handoff.state === 'done'
              ? 'font-semibold text-done'
              : 'text-soft'
        "
        >{{ standing }}</span
      >
    </div>
    <p class="text-soft">{{ new Date(handoff.made_at).toLocaleString() }}</p>
    <ul>
      <li
        v-for="(form, number) in handoff.forms"
        :key="form.folder"
        class="flex flex-wrap items-baseline justify-between gap-x-2"
      >
        <span class="min-w-0"
          >{{ form.title }}
          <template v-if="handoff.state === 'done'">
            <button
              v-for="one in looks(number)"
              :key="one.address"
              type="button"
              class="ml-1 text-select-ink underline underline-offset-2"
              :title="one.title"
              @click="emit('look', one)"
            >
              {{ looks(number).length > 1 ? one.title.replace(/^v\d+ /, "") : "look" }}
            </button>
          </template></span
        >
        <span
          v-if="handoff.forms.length > 1 && (handoff.state === 'writing' || handoff.state === 'stopped')"
          class="ml-auto text-xs text-soft"
          >{{ form.share >= 1 ? "✓ read back" : form.share ? percent(form.share) : "to come" }}</span
        >
        <span v-else-if="handoff.state === 'done'" class="ml-auto text-xs text-soft"
          >{{ form.files }} file{{ form.files === 1 ? "" : "s"
          }}<template v-if="form.bytes">, {{ megabytes(form.bytes) }}</template
          >; {{ off(form) }}</span
        >
      </li>
    </ul>
    <template v-if="handoff.state === 'writing' || handoff.state === 'stopped'">
      <ProgressBar
        label="Written and read back"
        :share="handoff.share"
        :state="handoff.state === 'writing' ? 'under way' : 'at rest'"
      />
      <p class="text-soft">
        {{ percent(handoff.share)
        }}<template v-if="handoff.left !== null && !handoff.stopping">
          · about {{ duration(handoff.left) }} left</template
        >
      </p>
    </template>
    <div v-if="!looking && (underWay || handoff.state === 'stopped')" class="flex gap-2">
      <PressButton v-if="underWay && !handoff.stopping" @click="emit('steer', 'stop')">Stop</PressButton>
      <PressButton v-else @click="emit('steer', 'continue')">Go on</PressButton>
    </div>
    <template v-if="handoff.state === 'done'">
      <p class="text-soft">{{ counted(handoff.files, "file") }}, {{ megabytes(handoff.bytes) }} in one package</p>
      <div class="flex gap-3">
        <a
          :href="`/api/handoffs/${handoff.id}/package`"
          class="inline-flex items-center gap-1.5 rounded-sm border border-rule bg-sheet px-2.5 py-1 font-medium hover:bg-select"
          download
          ><Download :size="14" aria-hidden="true" />{{ handoff.package_name }}</a
        >
        <a
          :href="`/api/handoffs/${handoff.id}/manifest`"
          target="_blank"
          class="self-center text-select-ink underline underline-offset-2"
          >manifest</a
        >
      </div>
      <ShareLinks v-if="!looking" :handoff="handoff.id" />
      <template v-if="earlier.length">
        <button
          type="button"
          class="inline-flex items-center gap-1 justify-self-start text-select-ink underline underline-offset-2"
          :aria-expanded="comparing"
          @click="compare"
        >
          <Columns2 :size="14" aria-hidden="true" />{{
            comparing ? "Close the comparison" : "Compare with an earlier one"
          }}
        </button>
        <CompareList v-if="comparing" :handoff :earlier @shown="emit('beside', $event)" />
      </template>
    </template>
    <p v-if="handoff.state === 'waiting' && handoff.error" class="text-warn" role="status">△ {{ handoff.error }}</p>
    <template v-if="handoff.state === 'failed'">
      <p class="text-now" role="alert">{{ handoff.error }}</p>
      <PressButton v-if="!looking" class="justify-self-start" @click="emit('steer', 'retry')">Try again</PressButton>
    </template>
  </section>
</template>
