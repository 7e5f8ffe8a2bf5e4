<script setup lang="ts">
/** A circle beside a field whose value can move: as animators circle the drawings that others go between. */
import { computed, ref } from "vue";

import { useOffers } from "@/api/offers";

import { canMove, split, tracksAt } from "./moves";
import { useShot } from "./store";

const props = defineProps<{ path: string; title: string }>();
const NOTHING: { name: string }[] = [];
const shot = useShot();
const offers = useOffers();

/** The name under which offers tell what of a part can move. */
const kind = computed(() => {
  const place = split(props.path);
  if (!place || !shot.draft) return "";
  const own = shot.draft as unknown as Record<string, { kind: string }[]>;
  const [head = "", number = ""] = place.part.split(".");
  if (head === "elements" || head === "lights")
    return `${head === "elements" ? "element" : "light"}:${own[head]?.[Number(number)]?.kind ?? ""}`;
  return { cameras: "camera", layers: "backdrop", finishes: "finish", sounds: "sound" }[head] ?? head;
});
const can = computed(() => {
  const place = split(props.path);
  return !!place && canMove(offers.value?.moves[kind.value] ?? NOTHING, place.field);
});
const tracks = computed(() => (shot.draft ? tracksAt(shot.draft, props.path) : []));
const moves = computed(() => tracks.value.length > 0);
const here = computed(() => tracks.value.some((one) => one.track.keys.some((key) => key.frame === shot.frame)));
const said = computed(() => {
  if (here.value) return `${props.title}: take the key at frame ${shot.frame} away`;
  return moves.value
    ? `${props.title} moves: put a key at frame ${shot.frame}`
    : `${props.title}: let it move, with a key at frame ${shot.frame}`;
});
/** Why a key could not be put, beside its field. */
const reason = ref("");
async function press() {
  reason.value = (await put()) ? "" : shot.retimeNote;
}
function put() {
  const paths = tracks.value.map((one) => one.path);
  if (here.value)
    return shot.retime(
      "delete",
      { tracks: paths, first: shot.frame, last: shot.frame },
      `${props.title}: key at frame ${shot.frame} away`,
    );
  return shot.retime(
    "key",
    { tracks: moves.value ? paths : [props.path], first: shot.frame },
    `${props.title}: key at frame ${shot.frame}`,
  );
}
</script>

<template>
  <button
    v-if="can && !(shot.looking && !moves)"
    type="button"
    class="absolute top-1 -left-2.5 z-10 grid size-2.5 place-items-center rounded-full border"
    :class="[
      here
        ? 'border-select-ink bg-select-ink'
        : moves
          ? 'border-select-ink bg-sheet'
          : 'border-rule/60 bg-transparent hover:border-select-ink',
    ]"
    :title="said"
    :aria-label="said"
    :aria-pressed="here"
    :disabled="shot.looking"
    @click="press"
  />
  <p v-if="reason" class="text-xs text-now" role="alert">✕ {{ reason }}</p>
</template>
