<script setup lang="ts">
import { Upload } from "@lucide/vue";
import { computed, onMounted, ref, useTemplateRef, watch } from "vue";

import { answer, api, csrfToken, problemOf, type Schemas } from "@/api/client";
import { useOffers } from "@/api/offers";
import ListField from "@/controls/ListField.vue";
import { useShot } from "@/shot/store";

const props = defineProps<{ modelValue: string; error?: string | undefined; dropped: File | null }>();
const emit = defineEmits<{ commit: [value: string]; taken: [] }>();
const shot = useShot();
const offers = useOffers();
const own = ref<Schemas["FontOut"][]>([]);
const failure = ref("");
const busy = ref(false);
const input = useTemplateRef("input");
const options = computed(() => [
  ...own.value.map((font) => ({ name: font.key, title: font.title, note: font.character })),
  ...(offers.value?.fonts ?? []).map((font) => ({ name: font.key, title: font.title, note: font.character })),
]);
const project = computed(() => shot.meta?.project_id ?? 0);

onMounted(async () => {
  own.value = await answer(
    api.GET("/api/projects/{project_id}/fonts", { params: { path: { project_id: project.value } } }),
  );
});

async function send(file: File | undefined) {
  if (!file) return;
  failure.value = "";
  busy.value = true;
  try {
    const body = new FormData();
    body.append("file", file);
    const response = await fetch(`/api/projects/${project.value}/fonts`, {
      method: "POST",
      headers: { "X-CSRFToken": csrfToken() },
      body,
    });
    if (!response.ok) throw await problemOf(response);
    const font = (await response.json()) as Schemas["FontOut"];
    own.value = [font, ...own.value.filter((one) => one.key !== font.key)];
    emit("commit", font.key);
  } catch (error) {
    failure.value = error instanceof Error ? error.message : String(error);
  } finally {
    busy.value = false;
  }
}
watch(
  () => props.dropped,
  (file) => {
    if (!file) return;
    void send(file);
    emit("taken");
  },
);
function chosen(event: Event) {
  const target = event.target as HTMLInputElement;
  void send(target.files?.[0]);
  target.value = "";
}
</script>

<template>
  <div>
    <ListField
      label="Font"
      :model-value="modelValue"
      :options
      :error="failure || error"
      @commit="emit('commit', $event)"
    />
    <button
      type="button"
      class="mt-1 inline-flex items-center gap-1 text-select-ink underline underline-offset-2"
      :disabled="busy"
      @click="input?.click()"
    >
      <Upload :size="13" aria-hidden="true" />{{
        busy ? "Reading the font…" : "Use your own TTF or OTF, or drop it here"
      }}
    </button>
    <input
      ref="input"
      type="file"
      class="hidden"
      accept=".ttf,.otf,font/ttf,font/otf"
      aria-label="Font file"
      @change="chosen"
    />
  </div>
</template>
