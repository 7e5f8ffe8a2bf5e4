<script setup lang="ts">
import { ChartColumn, Focus, Grid3x3, Maximize } from "@lucide/vue";
import { computed, onBeforeUnmount, onMounted, ref } from "vue";

import { answer, api } from "@/api/client";
import { useOffers } from "@/api/offers";
import IncomingNote from "@/files/IncomingNote.vue";
import BarButton from "@/picture/BarButton.vue";
import ElementHands from "@/picture/ElementHands.vue";
import GroundBar from "@/picture/GroundBar.vue";
import HandleChoice from "@/picture/HandleChoice.vue";
import { cameraHandle, type Handle, lightHandle } from "@/picture/handles";
import LivePicture from "@/picture/LivePicture.vue";
import LookChoice from "@/picture/LookChoice.vue";
import PlayBar from "@/picture/PlayBar.vue";
import { useRoughFrames } from "@/picture/useRoughFrames";
import { useSpaceKey } from "@/picture/useSpaceKey";
import SafeAreas from "@/picture/SafeAreas.vue";
import { useThumbnails } from "@/picture/useThumbnails";
import type { SheetColumn } from "@/sheet/columns";
import DeskFrame from "@/sheet/DeskFrame.vue";
import FindingList from "@/shot/FindingList.vue";
import { cameraPath } from "@/shot/cameras";
import { useShot } from "@/shot/store";
import { useThere } from "@/shot/useThere";

import CameraList from "./CameraList.vue";
import CameraName from "./CameraName.vue";
import ArrangeBar from "./ArrangeBar.vue";
import { copied, paste } from "./clipboard";
import DrawOver from "./DrawOver.vue";
import { useIncoming } from "../useIncoming";
import { putInto } from "./elements";
import { drawnIn } from "./handDrawing";
import LimbHands from "./LimbHands.vue";
import { limbsOnPicture } from "./limbs";
import StrokeHands from "./StrokeHands.vue";
import { numberedIn } from "./strokes";
import { elementsAt, useHands } from "@/picture/useHands";
import HistogramPanel from "./HistogramPanel.vue";
import LightList from "./LightList.vue";
import SelectedForm from "./SelectedForm.vue";
import SetList from "./SetList.vue";

const shot = useShot();
const offers = useOffers();
const selected = ref("elements.0");
/** Identities of elements that are selected with it. */
const also = ref<string[]>([]);
function select(path: string) {
  selected.value = path;
  also.value = [];
}
const playback = useRoughFrames();
useSpaceKey(playback.toggle);

const thumbnails = useThumbnails();
/** With more elements the sheet shows the selected one, and how many are in the picture. */
const MOST_COLUMNS = 3;
// A value of its own, so that moving the camera does not draw the sheet anew.
const elements = computed(() => shot.draft?.elements ?? []);
const selectedElement = computed(() =>
  selected.value.startsWith("elements.") ? shot.draft?.elements[Number(selected.value.split(".")[1])] : undefined,
);
const chosen = computed(() => {
  const first = selectedElement.value;
  const others = elements.value.filter((one) => one !== first && also.value.includes(one.id));
  return first ? [first, ...others] : [];
});
const others = computed(() => chosen.value.slice(1).map((one) => `elements.${elements.value.indexOf(one)}`));
const hands = useHands(chosen);
/** What is drawn in by hand, while it is selected. */
const drawing = computed(() => (drawnIn.value === selectedElement.value?.id ? selectedElement.value : undefined));
const raster = computed(() => shot.raster ?? { width: 16, height: 9 });

/** A click selects what is seen there; another one there what is behind it; with Ctrl or Shift one more, or one less. */
let before: { x: number; y: number } | null = null;
async function pick(x: number, y: number, event: MouseEvent) {
  const all = elements.value;
  const there = (await elementsAt(shot, x, y)).filter((id) => !all.find((one) => one.id === id)?.locked);
  const again = before && Math.hypot(before.x - x, before.y - y) < raster.value.width / 200;
  before = { x, y };
  const first = selectedElement.value?.id;
  const at = first ? there.indexOf(first) : -1;
  const id = there[again && at >= 0 ? (at + 1) % there.length : 0];
  if (event.ctrlKey || event.metaKey || event.shiftKey) {
    if (!id || id === first) return;
    also.value = also.value.includes(id) ? also.value.filter((one) => one !== id) : [...also.value, id];
  } else select(id ? `elements.${all.findIndex((one) => one.id === id)}` : "camera");
}
function group() {
  const kind = offers.value?.element_kinds.find((one) => one.name === "group");
  if (kind) select(putInto(shot, kind, chosen.value, `Group ${chosen.value.length} elements`));
}
function isTyping(target: EventTarget | null) {
  return target instanceof HTMLElement && target.closest("input,textarea,select,[contenteditable]") !== null;
}
function copy(event: ClipboardEvent) {
  if (isTyping(event.target) || !shot.draft || !chosen.value.length || window.getSelection()?.toString()) return;
  event.clipboardData?.setData("text/plain", copied(shot.draft, chosen.value));
  event.preventDefault();
}
async function pasted(event: ClipboardEvent) {
  const text = event.clipboardData?.getData("text/plain") ?? "";
  if (isTyping(event.target) || !text) return;
  try {
    const path = await paste(shot, text);
    if (path) select(path);
  } catch (error) {
    shot.note(error);
  }
}

const there = useThere();
const columns = computed<SheetColumn[]>(() => [
  {
    key: "look",
    title: "look",
    width: "2.5rem",
    mark: (frame) => {
      thumbnails.want(frame);
      return { image: thumbnails.urls.get(frame) };
    },
  },
  ...(elements.value.length > MOST_COLUMNS ? [selectedElement.value].filter((one) => !!one) : elements.value).map(
    (element): SheetColumn => ({
      key: element.id,
      title: element.name,
      mark: (frame) => {
        const share = there(element, frame);
        const seen = share >= 1 ? "shown" : share > 0 ? `${Math.max(1, Math.round(share * 100))} %` : "hidden";
        const what = element.reference ? "for reference" : seen;
        // Side by side there is room for the sign alone.
        const told =
          elements.value.length > 1 && elements.value.length <= MOST_COLUMNS ? { title: what } : { text: what };
        return { sign: what === "shown" ? "▪" : share > 0 && !element.reference ? "▫" : "○", tone: "quiet", ...told };
      },
    }),
  ),
  ...(elements.value.length > MOST_COLUMNS
    ? [
        {
          key: "all",
          title: "all",
          width: "4.5rem",
          mark: (frame: number) => ({
            text: `${elements.value.filter((one) => there(one, frame) > 0).length} of ${elements.value.length}`,
            tone: "quiet" as const,
            title: "Elements in the picture",
          }),
        },
      ]
    : []),
]);

const dragged = ref<"camera" | "light">("light");
const light = computed<Handle | null>(() => {
  if (!selected.value.startsWith("lights.")) return null;
  const found = shot.draft?.lights[Number(selected.value.split(".")[1])];
  return found ? lightHandle(selected.value, found) : null;
});
const handle = computed(() => (dragged.value === "light" && light.value) || cameraHandle);

const guides = ref(false);
const spread = ref(false);
const what = ref("picture");
async function bringIntoView(onlySelected: boolean) {
  const document = shot.draft;
  const one = selectedElement.value;
  if (!document || (onlySelected && !one)) return;
  try {
    const camera = await answer(
      api.POST("/api/shots/{shot_id}/framing", {
        params: { path: { shot_id: shot.id } },
        body: {
          document: document as unknown as Record<string, never>,
          frame: shot.frame,
          elements: onlySelected && one ? [one.id] : [],
        },
      }),
    );
    // Field by field: a camera that moves gets keys.
    const path = cameraPath(document);
    const { position, look_at, span } = camera as { position: unknown; look_at: unknown; span: unknown };
    shot.editMany(
      { [`${path}.position`]: position, [`${path}.look_at`]: look_at, [`${path}.span`]: span },
      onlySelected && one ? `${one.name} in view` : "All in view",
    );
  } catch (error) {
    shot.note(error);
  }
}
function pressed(event: KeyboardEvent) {
  const target = event.target;
  if (event.ctrlKey || event.altKey || event.metaKey) return;
  if (target instanceof HTMLElement && target.closest("input,textarea,select,[role=menu]")) return;
  if (event.key.toLowerCase() === "v") void bringIntoView(event.shiftKey);
  if (event.key.toLowerCase() === "g") guides.value = !guides.value;
  if (event.key.toLowerCase() === "h") spread.value = !spread.value;
}

const bringing = useIncoming(selected, select);
onMounted(() => {
  window.addEventListener("copy", copy);
  window.addEventListener("paste", pasted);
  window.addEventListener("keydown", pressed);
});
onBeforeUnmount(() => {
  window.removeEventListener("copy", copy);
  window.removeEventListener("paste", pasted);
  window.removeEventListener("keydown", pressed);
});
</script>

<template>
  <DeskFrame :columns>
    <template #picture>
      <LivePicture class="flex-1" movable :what :handle :playing="playback.current.value?.bitmap ?? null" @pick="pick">
        <template #default="{ width, place }">
          <SafeAreas v-if="guides" />
          <DrawOver
            v-if="drawing && !shot.looking && !playback.current.value"
            :hands
            :element="drawing"
            :raster
            :width
          />
          <template v-else-if="chosen.length && !shot.looking && !playback.current.value">
            <ElementHands :hands :raster :width @click="(event) => pick(...place(event), event)" />
            <LimbHands
              v-if="selectedElement?.kind === 'puppet' && chosen.length === 1 && limbsOnPicture"
              :key="selectedElement.id"
              :element="selectedElement"
              :path="hands.pathOf(selectedElement)"
              :raster
              :width
            />
            <StrokeHands
              v-else-if="selectedElement && numberedIn === selectedElement.id"
              :key="selectedElement.id"
              :element="selectedElement"
              :path="hands.pathOf(selectedElement)"
              :raster
              :width
            />
          </template>
        </template>
        <template #over><HistogramPanel v-if="spread" @close="spread = false" /></template>
      </LivePicture>
      <IncomingNote :bringing />
      <GroundBar>
        <LookChoice v-model="what" />
        <span class="flex items-center">
          <BarButton label="All in view" hint="Bring everything into view (V)" @click="bringIntoView(false)"
            ><Maximize :size="15" aria-hidden="true"
          /></BarButton>
          <BarButton
            v-if="selectedElement"
            label="Selected in view"
            hint="Bring what is selected into view (Shift V)"
            @click="bringIntoView(true)"
            ><Focus :size="15" aria-hidden="true"
          /></BarButton>
          <BarButton
            :label="guides ? 'Hide guides' : 'Guides'"
            hint="Safe areas and middle, never in the files (G)"
            :pressed="guides"
            @click="guides = !guides"
            ><Grid3x3 :size="15" aria-hidden="true"
          /></BarButton>
          <BarButton
            :label="spread ? 'Hide histogram' : 'Histogram'"
            hint="How light is spread (H)"
            :pressed="spread"
            @click="spread = !spread"
            ><ChartColumn :size="15" aria-hidden="true"
          /></BarButton>
        </span>
        <HandleChoice v-if="light" v-model="dragged" :name="light.name" />
        <PlayBar :playback :total="shot.frames.length" :rate="shot.draft?.timing.rate ?? ''" />
      </GroundBar>
    </template>
    <template #lists>
      <SetList :selected :also @select="select" @also="also = $event" />
      <LightList :selected @select="select" />
      <CameraList :selected @select="select" />
    </template>
    <template #settings>
      <FindingList desk="build" />
      <CameraName :path="selected" @select="select" />
      <ArrangeBar v-if="chosen.length > 1" :hands @group="group" />
      <SelectedForm :key="selected" :path="selected" :also="others" />
    </template>
  </DeskFrame>
</template>
