<script setup lang="ts">
import { computed, onBeforeUnmount, ref, watch } from "vue";

import { answer, api, Problem, type Schemas } from "@/api/client";
import { useOffers } from "@/api/offers";
import ChoiceField from "@/controls/ChoiceField.vue";
import PressButton from "@/controls/PressButton.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import GroundBar from "@/picture/GroundBar.vue";
import { ground } from "@/picture/grounds";
import MasterPicture from "@/picture/MasterPicture.vue";
import type { SheetColumn } from "@/sheet/columns";
import DeskFrame from "@/sheet/DeskFrame.vue";
import { lookUrl } from "@/shot/look";
import { useRun } from "@/shot/run";
import { heardIn } from "@/shot/document";
import { useShot } from "@/shot/store";
import StudioNotice from "@/StudioNotice.vue";

import HandOffEntry from "./HandOffEntry.vue";

type HandOff = Schemas["HandOffOut"];
const shot = useShot();
const run = useRun();
const offers = useOffers();
const list = ref<HandOff[]>([]);
const recipe = ref("png8");
const failure = ref("");
let source: EventSource | null = null;
const AGAIN_MS = 3000;

const recipes = computed(() => (offers.value?.recipes ?? []).map((one) => ({ name: one.name, title: one.title })));
const note = computed(() => chosenRecipe.value?.note);
const complete = computed(() => !!run.run && run.run.state === "done");
const layer = computed(() => run.layer);
const chosenRecipe = computed(() => offers.value?.recipes.find((one) => one.name === recipe.value));
const options = ref<Record<string, string>>({});
/** What is left out this time, of the run's layers and of all their passes. */
const withoutLayers = ref(new Set<string>());
const withoutPasses = ref(new Set<string>());
const layers = computed(() => run.layers.filter((one) => !withoutLayers.value.has(one)));
const passes = computed(() => {
  const names = new Set(
    (shot.draft?.layers ?? []).filter((one) => layers.value.includes(one.name)).flatMap((one) => one.passes),
  );
  return (shot.examined?.passes ?? []).filter((one) => names.has(one.name));
});
const kept = computed(() => passes.value.filter((one) => !withoutPasses.value.has(one.name)));
/** Passes that files of this kind cannot hold. */
const lost = computed(() => kept.value.filter((one) => !chosenRecipe.value?.roles.includes(one.role)));
function toggled(set: Set<string>, name: string) {
  const next = new Set(set);
  if (!next.delete(name)) next.add(name);
  return next;
}
function leaveOut() {
  withoutPasses.value = new Set([...withoutPasses.value, ...lost.value.map((one) => one.name)]);
}
const columns = computed<SheetColumn[]>(() =>
  list.value.slice(0, 2).map((one) => {
    const written = new Set(Object.values(one.written).flat());
    return {
      key: String(one.id),
      title: `v${String(one.version).padStart(3, "0")} ${one.recipe}`,
      mark: (frame) =>
        written.has(frame)
          ? { sign: "✓", text: "verified", tone: "done" }
          : one.state === "failed"
            ? { sign: "✕", text: "failed", tone: "fail" }
            : { sign: "·", tone: "quiet" },
    };
  }),
);
const src = computed(() =>
  run.run && run.finished.has(shot.frame)
    ? lookUrl(run.run.id, layer.value, shot.frame, { ground, kind: "jpeg" })
    : null,
);

function take(changed: HandOff) {
  list.value = list.value.map((one) => (one.id === changed.id ? changed : one));
}
function watchNewest() {
  source?.close();
  source = null;
  const open = list.value.find((one) => one.state === "waiting" || one.state === "writing");
  if (!open) return;
  const own = new EventSource(`/api/handoffs/${open.id}/events`);
  source = own;
  own.onmessage = (message: MessageEvent<string>) => take(JSON.parse(message.data) as HandOff);
  own.onerror = () => {
    // A line that is closed for good, not one that the browser opens again.
    if (own.readyState === EventSource.CLOSED && source === own) window.setTimeout(() => void load(), AGAIN_MS);
  };
  own.addEventListener("end", () => {
    own.close();
    watchNewest();
  });
}
async function load() {
  list.value = await answer(api.GET("/api/shots/{shot_id}/handoffs", { params: { path: { shot_id: shot.id } } }));
  watchNewest();
}
watch(() => shot.id, load, { immediate: true });
onBeforeUnmount(() => source?.close());

async function attempt(work: () => Promise<HandOff>) {
  failure.value = "";
  try {
    await work();
    await load();
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    failure.value = error.message;
  }
}
const start = () =>
  attempt(() =>
    answer(
      api.POST("/api/runs/{run_id}/handoffs", {
        params: { path: { run_id: run.run?.id ?? 0 } },
        body: {
          recipe: recipe.value,
          options: Object.fromEntries(
            (chosenRecipe.value?.options ?? []).map((one) => [
              one.name,
              options.value[one.name] ?? one.choices[0]?.name ?? "",
            ]),
          ),
          layers: withoutLayers.value.size ? layers.value : [],
          passes: withoutPasses.value.size ? kept.value.map((one) => one.name) : [],
        },
      }),
    ),
  );
const retry = (id: number) =>
  attempt(() => answer(api.POST("/api/handoffs/{handoff_id}/retry", { params: { path: { handoff_id: id } } })));
</script>

<template>
  <DeskFrame :columns>
    <template #picture>
      <MasterPicture
        class="flex-1"
        :src
        :width="shot.draft!.raster.width"
        :height="shot.draft!.raster.height"
        :label="`Rendered frame ${shot.frame}`"
      >
        <template #empty
          ><p>Frame {{ shot.frame }} is not rendered in this run.</p></template
        >
      </MasterPicture>
      <GroundBar><span class="text-soft">only for looking, never in a file</span></GroundBar>
    </template>
    <template #settings>
      <h2 class="px-3 pt-2 pb-1 font-title text-lg">Hand off</h2>
      <StudioNotice workers />
      <SectionBlock v-if="!shot.looking" title="A new version">
        <ChoiceField label="Recipe" :model-value="recipe" :options="recipes" @commit="recipe = $event" />
        <p class="text-soft">{{ note }}</p>
        <p v-if="heardIn(shot.draft).length" class="text-soft">
          Its sound goes along as a WAV with 24 bits, to the sample as long as the pictures.
        </p>
        <ChoiceField
          v-for="option in chosenRecipe?.options"
          :key="option.name"
          :label="option.title"
          :model-value="options[option.name] ?? option.choices[0]!.name"
          :options="option.choices"
          :initial="option.choices[0]!.name"
          @commit="options = { ...options, [option.name]: $event }"
        />
        <fieldset v-if="run.layers.length > 1" class="flex flex-wrap gap-x-3">
          <legend class="text-soft">Layers</legend>
          <label v-for="one in run.layers" :key="one" class="flex items-center gap-1">
            <input
              type="checkbox"
              class="accent-select-ink"
              :checked="!withoutLayers.has(one)"
              @change="withoutLayers = toggled(withoutLayers, one)"
            />
            {{ one }}
          </label>
        </fieldset>
        <fieldset v-if="passes.length > 1" class="flex flex-wrap gap-x-3">
          <legend class="text-soft">Passes</legend>
          <label v-for="one in passes" :key="one.name" class="flex items-center gap-1" :title="one.note">
            <input
              type="checkbox"
              class="accent-select-ink"
              :checked="!withoutPasses.has(one.name)"
              @change="withoutPasses = toggled(withoutPasses, one.name)"
            />
            {{ one.title }}
          </label>
        </fieldset>
        <p v-if="lost.length" class="text-warn">
          △ {{ chosenRecipe?.title }} cannot hold {{ lost.map((one) => one.title).join(", ") }}.
          <button type="button" class="font-medium underline underline-offset-2" @click="leaveOut">
            Leave {{ lost.length > 1 ? "them" : "it" }} out
          </button>
          or choose OpenEXR.
        </p>
        <p v-if="complete && run.stale.size" class="text-warn">
          △ {{ run.stale.size }} frames of this run are stale: the shot was changed since.
          <RouterLink :to="`/shots/${shot.id}/run`" class="underline">Run it again</RouterLink> or hand off what was
          rendered.
        </p>
        <p v-if="run.loaded && !complete" class="text-soft">
          {{ run.run ? "The newest run is not finished." : "Nothing is rendered yet." }}
          <RouterLink :to="`/shots/${shot.id}/run`" class="underline">Go to Run</RouterLink>; a hand-off is made from a
          finished run.
        </p>
        <p v-if="failure" class="text-now" role="alert">✕ {{ failure }}</p>
        <PressButton primary :disabled="!complete || !!lost.length || !layers.length || !kept.length" @click="start"
          >Write v{{ String((list[0]?.version ?? 0) + 1).padStart(3, "0") }}</PressButton
        >
        <p class="text-xs text-soft">
          Every file is read back from disk by another reader and compared with its master. Earlier versions are never
          touched.
        </p>
      </SectionBlock>
      <HandOffEntry v-for="one in list" :key="one.id" :handoff="one" :looking="shot.looking" @retry="retry(one.id)" />
    </template>
  </DeskFrame>
</template>
