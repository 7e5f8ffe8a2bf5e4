<script setup lang="ts">
/** The cameras, and how the picture is taken: raster, filter, blur, pixel look. */
import { Plus, Video, VideoOff } from "@lucide/vue";
import { computed } from "vue";

import { useKept } from "@/api/kept";
import AddMenu from "@/controls/AddMenu.vue";
import PressButton from "@/controls/PressButton.vue";
import { addCamera, cameraNames, cameraPath, MAIN } from "@/shot/cameras";
import { useShot } from "@/shot/store";

import SetRow from "./SetRow.vue";

defineProps<{ selected: string }>();
const emit = defineEmits<{ select: [path: string] }>();
const shot = useShot();

const cameras = computed(() =>
  (shot.draft ? cameraNames(shot.draft) : []).map((name, at) => ({
    name,
    title: name === MAIN ? "Main camera" : name,
    path: at ? `cameras.${at - 1}.camera` : "camera",
  })),
);
const taking = computed(() => {
  const draft = shot.draft;
  if (!draft) return [];
  const { raster, sampling, motion, pixels } = draft;
  const plain = sampling.filter === "box" && sampling.filter_width === 1;
  return [
    {
      path: "raster",
      name: "Raster and names",
      note: `${raster.width} × ${raster.height}${raster.overscan ? `, ${raster.overscan} around` : ""}`,
    },
    { path: "sampling", name: "Filter and samples", note: plain ? "" : `${sampling.filter} ${sampling.filter_width}` },
    { path: "motion", name: "Motion blur", note: motion.angle ? `${motion.angle}°` : "off" },
    {
      path: "pixels",
      name: "Pixel look",
      note: pixels.on ? `${raster.width / pixels.enlarge} × ${raster.height / pixels.enlarge}` : "off",
    },
  ];
});

const kept = useKept(computed(() => shot.meta?.project_id ?? 0));
const additions = computed<
  { title: string; items: { name: string; title: string; note?: string; picture?: string; act: () => void }[] }[]
>(() => [
  { title: "", items: [{ name: "add", title: "One more", note: "Where this one stands", act: add }] },
  {
    title: "In place of the camera in view: kept in the project",
    items: kept.of("camera").map((one) => ({
      name: `kept ${one.name}`,
      title: one.name,
      picture: kept.picture(one),
      act: () => {
        if (shot.draft) shot.edit(cameraPath(shot.draft), one.content, true, `Camera ${one.name}`);
      },
    })),
  },
]);
function look(name: string) {
  shot.edit("view", name, true, `Look through ${name}`);
}
function add() {
  if (!shot.draft) return;
  const at = shot.draft.cameras.length;
  const { name, edits } = addCamera(shot.draft);
  shot.editMany(edits, `Add ${name}`);
  emit("select", `cameras.${at}.camera`);
}
</script>

<template>
  <section class="px-3 pb-2">
    <div class="mb-1 flex items-center justify-between">
      <h2 class="font-title text-lg">The picture</h2>
      <AddMenu v-if="kept.of('camera').length" label="Add camera" :groups="additions" @pick="$event.act()" />
      <PressButton v-else quiet title="One more camera, where this one stands" @click="add"
        ><Plus :size="14" aria-hidden="true" /> Add camera</PressButton
      >
    </div>
    <ul>
      <SetRow
        v-for="camera in cameras"
        :key="camera.name"
        :name="camera.title"
        :note="cameras.length > 1 && shot.draft?.view === camera.name ? 'in view' : ''"
        :selected="selected === camera.path"
        @select="emit('select', camera.path)"
      >
        <button
          v-if="cameras.length > 1"
          type="button"
          class="p-1"
          :aria-label="`Look through ${camera.title}`"
          :aria-pressed="shot.draft?.view === camera.name"
          title="Look through this camera; layers that name none are rendered through it"
          @click="look(camera.name)"
        >
          <Video v-if="shot.draft?.view === camera.name" :size="14" aria-hidden="true" />
          <VideoOff v-else :size="14" aria-hidden="true" />
        </button>
      </SetRow>
      <SetRow
        v-for="item in taking"
        :key="item.path"
        :name="item.name"
        :note="item.note"
        :selected="selected === item.path"
        @select="emit('select', item.path)"
      />
    </ul>
  </section>
</template>
