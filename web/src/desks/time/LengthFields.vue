<script setup lang="ts">
/** The length three ways, each editable; the server reads what is typed. */
import { ref, watch } from "vue";

import { answer, api, Problem, type Schemas } from "@/api/client";
import SectionBlock from "@/controls/SectionBlock.vue";
import { useShot } from "@/shot/store";

const emit = defineEmits<{ length: [frames: number] }>();
const shot = useShot();
const WAYS = ["frames", "seconds", "timecode"] as const;
type Way = (typeof WAYS)[number];
type Length = Schemas["LengthOut"];
const texts = ref<Record<Way, string>>({ frames: "", seconds: "", timecode: "" });
const failure = ref<{ way: Way; message: string } | null>(null);
/** The field that is typed in: what is typed there is not written over by an answer that comes meanwhile. */
const typing = ref<Way | null>(null);
let before = "";

/** Show a length in all fields but one that somebody types in; ``own`` is the field that the length came from. */
function show(length: Length, own: Way | null) {
  const shown = { frames: String(length.frames), seconds: String(length.seconds), timecode: length.timecode };
  const kept = typing.value !== own ? typing.value : null;
  texts.value = kept ? { ...shown, [kept]: texts.value[kept] } : shown;
  // What was read is no change any more when the field is left.
  if (own && typing.value === own) before = shown[own];
}
const now = ref<Length | null>(null);
async function read(text: string): Promise<Length> {
  return answer(api.POST("/api/length", { body: { text, rate: shot.draft?.timing.rate ?? "24" } }));
}
function fill() {
  if (now.value) show(now.value, null);
}
watch(
  [() => shot.draft?.timing.first, () => shot.draft?.timing.last, () => shot.draft?.timing.rate],
  async ([first, last, rate]) => {
    if (first === undefined || last === undefined) return;
    try {
      const found = await read(`${last - first + 1}`);
      const timing = shot.draft?.timing;
      if (timing?.first !== first || timing.last !== last || timing.rate !== rate) return;
      now.value = found;
      fill();
    } catch (error) {
      // What is wrong with a rate or a range is said where it is.
      if (!(error instanceof Problem)) throw error;
    }
  },
  { immediate: true },
);

async function accept(way: Way) {
  const text = texts.value[way].trim();
  if (text === before) return;
  const bare = way === "seconds" && /^[\d\s.,+\-*/()]+$/.test(text);
  try {
    const found = await read(bare ? `${text} s` : text);
    failure.value = null;
    show(found, way);
    if (found.frames !== now.value?.frames) emit("length", found.frames);
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    failure.value = { way, message: error.problems[0]?.message ?? error.message };
  }
}
function restore() {
  failure.value = null;
  typing.value = null;
  fill();
}
</script>

<template>
  <SectionBlock title="Length">
    <div class="grid grid-cols-[4.5rem_5.5rem_1fr] gap-1.5">
      <label v-for="way in WAYS" :key="way" class="min-w-0">
        <span class="block text-soft">{{ way }}</span>
        <input
          v-model="texts[way]"
          class="w-full rounded-sm border border-rule bg-sheet px-1.5 py-0.5 text-right"
          :class="{ 'border-now!': failure?.way === way }"
          :aria-invalid="failure?.way === way"
          autocomplete="off"
          @focus="
            before = texts[way];
            typing = way;
          "
          @blur="
            typing = null;
            void accept(way);
          "
          @keydown.enter="accept(way)"
          @keydown.esc.stop="restore"
        />
      </label>
    </div>
    <p v-if="failure" class="text-xs text-now" role="alert">✕ {{ failure.message }}</p>
    <p v-else class="text-xs text-soft">Any of them takes 96, 24*4, 4 s, 1.5 min or 2:12.</p>
  </SectionBlock>
</template>
