<script setup lang="ts">
/** A name for something that is kept in the project, for all its shots. */
import { Dialog, DialogPanel, DialogTitle } from "@headlessui/vue";
import { computed, ref, watch } from "vue";

import { Problem } from "@/api/client";
import { type KeptKind, useKept } from "@/api/kept";
import PressButton from "@/controls/PressButton.vue";
import TextField from "@/controls/TextField.vue";
import { useShot } from "@/shot/store";

const props = defineProps<{ open: boolean; kind: KeptKind; what: string; suggested: string; content: unknown }>();
const emit = defineEmits<{ close: [] }>();
const shot = useShot();
const kept = useKept(computed(() => shot.meta?.project_id ?? 0));
const name = ref("");
const failure = ref("");
const taken = computed(() => kept.of(props.kind).some((one) => one.name === name.value.trim()));
watch(
  () => props.open,
  (open) => {
    if (!open) return;
    name.value = props.suggested;
    failure.value = "";
  },
);
async function keep() {
  try {
    await kept.keep(props.kind, name.value, props.content);
    emit("close");
  } catch (error) {
    if (!(error instanceof Problem)) throw error;
    failure.value = error.problems[0]?.message ?? error.message;
  }
}
</script>

<template>
  <Dialog :open class="relative z-50" @close="emit('close')">
    <div class="fixed inset-0 bg-ink/30" aria-hidden="true" />
    <div class="fixed inset-0 grid place-items-center p-6">
      <DialogPanel class="w-96 border-t-4 border-ink bg-sheet p-6 shadow-xl">
        <DialogTitle class="mb-2 font-title text-2xl">Keep in the project</DialogTitle>
        <form class="grid gap-3" @submit.prevent="keep">
          <p class="text-soft">{{ what }}, as it is now, for all shots of the project.</p>
          <TextField label="Name" first :model-value="name" :error="failure" @update="name = $event" />
          <p v-if="taken" class="text-soft">It takes the place of what is called so now.</p>
          <div class="flex justify-end gap-2">
            <PressButton quiet @click="emit('close')">Cancel</PressButton>
            <PressButton type="submit" primary :disabled="!name.trim()">Keep</PressButton>
          </div>
        </form>
      </DialogPanel>
    </div>
  </Dialog>
</template>
