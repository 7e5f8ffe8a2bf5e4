<script setup lang="ts">
/** The sounds of the shot: files that are heard from a frame on. */
import { Trash2, Volume2, VolumeX } from "@lucide/vue";
import { computed, provide, ref } from "vue";

import { useOffers } from "@/api/offers";
import { resolveRef } from "@/controls/fields";
import { KEY_MARK } from "@/controls/keys";
import PressButton from "@/controls/PressButton.vue";
import SchemaForm from "@/controls/SchemaForm.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import FileField from "@/files/FileField.vue";
import type { Sound } from "@/shot/document";
import KeyMark from "@/shot/KeyMark.vue";
import { addSound } from "@/shot/sounds";
import { useShot } from "@/shot/store";

import SpeakPanel from "./SpeakPanel.vue";

const shot = useShot();
provide(KEY_MARK, KeyMark);
const offers = useOffers();
const sounds = computed(() => shot.draft?.sounds ?? []);
const chosen = ref("");
const at = computed(() => sounds.value.findIndex((one) => one.id === chosen.value));
/** As it is at the frame that is looked at, where its volume moves. */
const own = computed(() => shot.seen?.sounds?.[at.value]);
const root = computed(() => offers.value?.schema ?? {});
const schema = computed(() => resolveRef(root.value.properties?.sounds?.items ?? {}, root.value));

function add() {
  chosen.value = addSound(shot);
}
function remove(one: Sound) {
  shot.edit(
    "sounds",
    sounds.value.filter((other) => other !== one),
    true,
    `Remove ${one.name}`,
  );
}
function toggle(number: number, one: Sound) {
  shot.edit(`sounds.${number}.on`, !one.on, true, one.on ? `${one.name} is not heard` : `${one.name} is heard`);
}
</script>

<template>
  <SectionBlock title="Sound">
    <ul v-if="sounds.length" aria-label="Sounds" class="border-t border-line">
      <li
        v-for="(one, number) in sounds"
        :key="one.id"
        class="flex items-center border-b border-line"
        :class="{ 'bg-select text-select-ink': one.id === chosen }"
      >
        <button
          type="button"
          class="min-w-0 flex-1 truncate px-1.5 py-1 text-left"
          @click="chosen = one.id === chosen ? '' : one.id"
        >
          {{ one.name }} <span class="text-soft">{{ one.file ? `from frame ${one.begins}` : "no file yet" }}</span>
        </button>
        <PressButton
          quiet
          :aria-label="`Remove ${one.name}`"
          title="Remove"
          :disabled="shot.looking"
          @click="remove(one)"
          ><Trash2 :size="14" aria-hidden="true"
        /></PressButton>
        <PressButton
          quiet
          :aria-label="`${one.name} is heard`"
          :aria-pressed="one.on"
          :title="one.on ? 'Heard' : 'Not heard'"
          @click="toggle(number, one)"
          ><Volume2 v-if="one.on" :size="14" aria-hidden="true" /><VolumeX v-else :size="14" aria-hidden="true"
        /></PressButton>
      </li>
    </ul>
    <p v-else class="text-soft">
      Nothing is heard yet. A sound runs down the sheet, plays with the picture, and goes along beside every hand-off.
    </p>
    <PressButton class="justify-self-start" :disabled="shot.looking || sounds.length >= 16" @click="add"
      >Add a sound</PressButton
    >
    <SchemaForm
      v-if="own"
      :schema
      :root
      :value="own as unknown as Record<string, unknown>"
      :path="`sounds.${at}`"
      :problems="shot.problems"
      :skip="['on']"
      :sections="false"
      @update="(path, inner) => shot.edit(path, inner, false)"
      @commit="(path, inner, label) => shot.edit(path, inner, true, `${own?.name}: ${label.toLowerCase()}`)"
    >
      <template #file="{ value: file, path, error, field }">
        <FileField
          :label="field.title"
          kind="sounds"
          :model-value="file as string"
          :error
          @commit="shot.edit(path, $event, true, field.title)"
        />
      </template>
    </SchemaForm>
    <SpeakPanel v-if="own" :key="own.id" :sound="own" />
  </SectionBlock>
</template>
