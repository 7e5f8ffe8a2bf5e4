<script setup lang="ts">
/** How far files are on their way into a project, what became of them, and what was wrong with which. */
import type { useBringing } from "./useBringing";

defineProps<{ bringing: ReturnType<typeof useBringing> }>();
</script>

<template>
  <p v-if="bringing.sending.value" class="flex items-center gap-2" role="status">
    <progress
      v-if="bringing.sending.value.share < 1"
      class="h-2 w-40 accent-select-ink"
      :value="bringing.sending.value.share"
      aria-label="Sent"
    ></progress>
    <span>
      <template v-if="bringing.sending.value.of > 1">
        {{ bringing.sending.value.number }} of {{ bringing.sending.value.of }}, {{ bringing.sending.value.name }}:
      </template>
      {{
        bringing.sending.value.share < 1
          ? `sending, ${Math.floor(bringing.sending.value.share * 100)} %`
          : "reading the file…"
      }}
    </span>
    <button type="button" class="underline underline-offset-2" @click="bringing.stop()">Stop</button>
  </p>
  <p v-for="(tale, at) in bringing.said.value" :key="at" role="status">✓ {{ tale }}</p>
  <p v-for="(failure, at) in bringing.failures.value" :key="at" role="alert" class="text-now">✕ {{ failure }}</p>
</template>
