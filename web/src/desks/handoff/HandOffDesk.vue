<script setup lang="ts">
import { computed, onBeforeUnmount, ref, shallowRef, watch } from "vue";

import { answer, api, Problem, type Schemas } from "@/api/client";
import { useKept } from "@/api/kept";
import { useOffers } from "@/api/offers";
import AddMenu from "@/controls/AddMenu.vue";
import ChoiceField from "@/controls/ChoiceField.vue";
import PressButton from "@/controls/PressButton.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import GroundBar from "@/picture/GroundBar.vue";
import { ground } from "@/picture/grounds";
import MasterPicture from "@/picture/MasterPicture.vue";
import TextField from "@/controls/TextField.vue";
import type { SheetColumn } from "@/sheet/columns";
import DeskFrame from "@/sheet/DeskFrame.vue";
import { megabytes } from "@/shot/cellMarks";
import { lookUrl } from "@/shot/look";
import { useRun } from "@/shot/run";
import { heardOf } from "@/shot/document";
import { useShot } from "@/shot/store";
import KeepDialog from "@/shot/KeepDialog.vue";
import NotRendered from "@/shot/NotRendered.vue";
import StudioNotice from "@/StudioNotice.vue";

import CompareView from "./CompareView.vue";
import FormCard from "./FormCard.vue";
import { type ChosenForm, type LookedAt, settled } from "./forms";
import HandedFile from "./HandedFile.vue";
import HandOffEntry from "./HandOffEntry.vue";
import { useForms } from "./useForms";
import { useTrial } from "./useTrial";
import { counted } from "@/controls/counted";

type HandOff = Schemas["HandOffOut"];
const shot = useShot();
const run = useRun();
const offers = useOffers();
const list = ref<HandOff[]>([]);
const failure = ref("");
let source: EventSource | null = null;
const AGAIN_MS = 3000;

const complete = computed(() => !!run.run && run.run.state === "done");
/** A run that will be done without anybody's doing: what is handed off of it waits for that. */
const coming = computed(() => run.underWay && !run.run?.stopping);
const layer = computed(() => run.layer);
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
function toggled(set: Set<string>, name: string) {
  const next = new Set(set);
  if (!next.delete(name)) next.add(name);
  return next;
}
const chosen = useForms();
const recipeOf = (form: ChosenForm) => offers.value?.recipes.find((one) => one.name === form.recipe);
const forms = computed(() => chosen.forms.value.filter(recipeOf));
/** Passes that a form writes. */
function passesOf(form: ChosenForm) {
  return kept.value.filter((one) => !form.without.includes(one.name));
}
/** Passes that its files cannot hold. */
function lostBy(form: ChosenForm) {
  return passesOf(form).filter((one) => !recipeOf(form)?.roles.includes(one.role));
}
const anyLost = computed(() => forms.value.some((form) => lostBy(form).length));
const menu = computed(() =>
  (offers.value?.receivers ?? []).map((receiver) => ({
    title: receiver.title,
    items: (offers.value?.recipes ?? [])
      .filter((one) => one.receiver === receiver.name)
      .map((one) => ({ name: one.name, title: one.title, note: one.keeps })),
  })),
);
const ready = useKept(computed(() => shot.meta?.project_id ?? 0));
const keeping = ref(false);
/** The file of an earlier version that is looked at, in place of the frames. */
const looked = ref<LookedAt | null>(null);
watch(
  () => shot.id,
  () => (looked.value = null),
);
/** What is kept of forms: their recipes with all that was chosen. */
const content = computed(() =>
  forms.value.map((form) => ({ recipe: form.recipe, options: settled(form, recipeOf(form)), without: form.without })),
);
/** Which frames are handed off: all of the run's, the one that is looked at, or some. */
const WHICH = [
  { name: "all", title: "All of the run" },
  { name: "one", title: "This one" },
  { name: "own", title: "Some" },
];
const which = ref("all");
const some = ref("");
const frameSet = computed(() => (which.value === "all" ? "" : which.value === "one" ? String(shot.frame) : some.value));
/** What the server is asked for. */
const body = computed(() => ({
  forms: forms.value.map((form) => {
    const all = !form.without.length && !withoutPasses.value.size;
    return {
      recipe: form.recipe,
      options: settled(form, recipeOf(form)),
      passes: all ? [] : passesOf(form).map((one) => one.name),
    };
  }),
  layers: withoutLayers.value.size ? layers.value : [],
  frame_set: frameSet.value,
}));
const empty = computed(() => !layers.value.length || forms.value.some((form) => !passesOf(form).length));
const possible = computed(() => complete.value && !anyLost.value && !empty.value && !shot.looking);
const { trials, measuring } = useTrial(body, possible);
const whole = computed(() => trials.value.reduce((sum, one) => sum + (one?.bytes ?? 0), 0));
/** What the server says is wrong with options, by the form's number and the option's name. */
const wrong = ref<Record<string, string>[]>([]);
const wrongFrames = ref("");
watch(body, () => {
  wrong.value = [];
  wrongFrames.value = "";
});
/** Columns that stand beside one another. */
const MOST_COLUMNS = 4;
/** Beside others there is room for a mark only. */
const narrow = computed(() => list.value.slice(0, 2).reduce((sum, one) => sum + one.forms.length, 0) > 2);
const columns = computed<SheetColumn[]>(() =>
  list.value
    .slice(0, 2)
    .flatMap((one) => one.forms.map((form) => ({ one, form })))
    .slice(0, MOST_COLUMNS)
    .map(({ one, form }) => {
      const written = new Set(Object.values(form.written).flat());
      const dropped = new Set(form.dropped);
      return {
        key: `${one.id} ${form.folder}`,
        title: `${form.recipe} v${String(one.version).padStart(3, "0")}`,
        mark: (frame) =>
          written.has(frame) && dropped.has(frame)
            ? { sign: "–", text: narrow.value ? "" : "dropped", title: "No file shows it at this rate", tone: "quiet" }
            : written.has(frame)
              ? { sign: "✓", text: narrow.value ? "" : "verified", tone: "done" }
              : one.state === "failed"
                ? { sign: "✕", text: narrow.value ? "" : "failed", tone: "fail" }
                : { sign: "·", tone: "quiet" },
      };
    }),
);
const src = computed(() =>
  run.run && run.finished.has(shot.frame)
    ? lookUrl(run.run.id, layer.value, shot.frame, { ground, kind: "jpeg" })
    : null,
);

/** Two versions whose frames are looked at beside each other. */
const beside = shallowRef<{ versions: [number, number]; runs: [number, number] } | null>(null);
function show(later: HandOff, what: { earlier: HandOff; runs: [number, number] } | null) {
  looked.value = null;
  beside.value = what && { versions: [what.earlier.version, later.version], runs: what.runs };
}
const both = computed(() => {
  const own = beside.value;
  if (!own) return null;
  const at = (run: number) => lookUrl(run, layer.value, shot.frame, { ground, kind: "jpeg" });
  return { versions: own.versions, before: at(own.runs[0]), after: at(own.runs[1]) };
});

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
    const named = error.problems.flatMap((one) => {
      const found = /^forms\.(\d+)\.options\.(\w+)$/.exec(one.field);
      return found ? [{ number: Number(found[1]), option: found[2] ?? "", message: one.message }] : [];
    });
    wrong.value = forms.value.map((_, number) =>
      Object.fromEntries(named.filter((one) => one.number === number).map((one) => [one.option, one.message])),
    );
    wrongFrames.value = error.problems.find((one) => one.field === "frame_set")?.message ?? "";
    failure.value = named.length || wrongFrames.value ? "" : error.message;
  }
}
const start = () =>
  attempt(() =>
    answer(
      api.POST("/api/runs/{run_id}/handoffs", {
        params: { path: { run_id: run.run?.id ?? 0 } },
        body: body.value,
      }),
    ),
  );
/** Take forms that are kept, in place of those here. */
function takeKept(name: string) {
  const found = ready.of("forms").find((one) => one.name === name);
  if (found) chosen.replace(found.content as Omit<ChosenForm, "key">[]);
}
const steer = (id: number, verb: "stop" | "continue" | "retry") => {
  const params = { params: { path: { handoff_id: id } } };
  const calls = {
    stop: () => api.POST("/api/handoffs/{handoff_id}/stop", params),
    continue: () => api.POST("/api/handoffs/{handoff_id}/continue", params),
    retry: () => api.POST("/api/handoffs/{handoff_id}/retry", params),
  };
  return attempt(() => answer(calls[verb]()));
};
</script>

<template>
  <DeskFrame :columns>
    <template #picture>
      <HandedFile
        v-if="looked"
        class="flex-1"
        :what="looked"
        :width="shot.draft!.raster.width"
        :height="shot.draft!.raster.height"
        @close="looked = null"
      />
      <CompareView
        v-else-if="both"
        class="flex-1"
        v-bind="both"
        :frame="shot.frame"
        :width="shot.draft!.raster.width"
        :height="shot.draft!.raster.height"
        @close="beside = null"
      />
      <MasterPicture
        v-else
        class="flex-1"
        :src
        :width="shot.draft!.raster.width"
        :height="shot.draft!.raster.height"
        :label="`Rendered frame ${shot.frame}`"
      >
        <template #empty><NotRendered /></template>
      </MasterPicture>
      <GroundBar><span class="text-soft">only for looking, never in a file</span></GroundBar>
    </template>
    <template #settings>
      <h2 class="px-3 pt-2 pb-1 font-title text-lg">Hand off</h2>
      <StudioNotice workers />
      <SectionBlock v-if="!shot.looking" title="A new version">
        <ul aria-label="Forms of this version">
          <FormCard
            v-for="(form, number) in forms"
            :key="form.key"
            :form
            :recipe="recipeOf(form)!"
            :trial="trials[number] ?? null"
            :measuring
            :lost="lostBy(form).map((one) => one.title)"
            :errors="wrong[number] ?? {}"
            :only="forms.length === 1"
            :asked="body.forms[number]!"
            :layers="body.layers"
            :frame-set="body.frame_set"
            :possible
            @change="chosen.change(form.key, $event)"
            @leave-out="
              chosen.leaveOut(
                form.key,
                lostBy(form).map((one) => one.name),
              )
            "
            @remove="chosen.remove(form.key)"
          />
        </ul>
        <div class="flex flex-wrap items-center gap-1">
          <AddMenu label="Another form" :groups="menu" @pick="chosen.add($event.name)" />
          <AddMenu
            v-if="ready.of('forms').length"
            label="Kept ones"
            :groups="[
              {
                title: 'Kept in the project',
                items: ready.of('forms').map((one) => ({
                  name: one.name,
                  title: one.name,
                  note: (one.content as { recipe: string }[]).map((form) => form.recipe).join(', '),
                })),
              },
            ]"
            @pick="takeKept($event.name)"
          />
          <PressButton quiet @click="keeping = true">Keep these …</PressButton>
        </div>
        <p v-if="forms.length > 1" class="text-soft">
          Each form has a folder of its own in one package<template v-if="whole"
            >, about {{ megabytes(whole) }} in all</template
          >.
        </p>
        <p v-if="heardOf(shot.draft?.sounds).length" class="text-soft">
          Its sound goes along as a WAV with 24 bits, to the sample as long as the pictures, and inside of movies.
        </p>
        <ChoiceField label="Frames" :model-value="which" :options="WHICH" initial="all" @commit="which = $event" />
        <TextField
          v-if="which === 'own'"
          label="Frame set, such as 1-10,20,30-40x2"
          :model-value="some"
          :error="wrongFrames"
          @commit="some = $event"
        />
        <p v-else-if="wrongFrames" class="text-now" role="alert">✕ {{ wrongFrames }}</p>
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
        <p v-if="complete && run.stale.size" class="text-warn">
          △ {{ counted(run.stale.size, "frame") }} of this run {{ run.stale.size === 1 ? "is" : "are" }} stale: the shot
          was changed since. <RouterLink :to="`/shots/${shot.id}/run`" class="underline">Run it again</RouterLink> or
          hand off what was rendered.
        </p>
        <p v-if="coming" class="text-soft">
          The newest run is under way: files are written when all its frames are there.
        </p>
        <p v-else-if="run.loaded && !complete" class="text-soft">
          {{ run.run ? "The newest run is not finished." : "Nothing is rendered yet." }}
          <RouterLink :to="`/shots/${shot.id}/run`" class="underline">Go to Run</RouterLink>; a hand-off is made from a
          finished run.
        </p>
        <p v-if="failure" class="text-now" role="alert">✕ {{ failure }}</p>
        <PressButton
          primary
          :disabled="!(complete || coming) || anyLost || empty || (which === 'own' && !some.trim())"
          @click="start"
          >Write v{{ String((list[0]?.version ?? 0) + 1).padStart(3, "0") }}</PressButton
        >
        <p class="text-xs text-soft">
          Every file is read back from disk by another reader and compared with its master. Earlier versions are never
          touched.
        </p>
      </SectionBlock>
      <HandOffEntry
        v-for="one in list"
        :key="one.id"
        :handoff="one"
        :earlier="list.filter((other) => other.version < one.version && other.state === 'done')"
        :looking="shot.looking"
        @steer="steer(one.id, $event)"
        @look="looked = $event"
        @beside="show(one, $event)"
      />
      <KeepDialog
        :open="keeping"
        kind="forms"
        what="These forms, with what was chosen and left out"
        suggested="For the compositor"
        :content
        @close="keeping = false"
      />
    </template>
  </DeskFrame>
</template>
