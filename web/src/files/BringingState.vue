<script setup lang="ts">
/** How far files are on their way into a project, what became of them, and what was wrong with which. */
import type { useBringing } from "./useBringing";

defineProps<{ bringing: ReturnType<typeof useBringing> }>();
</script>

<template>
  <p v-if="bringing.under.value" class="flex items-center gap-2" role="status">
    <progress
      v-if="bringing.under.value.share < 1"
      class="h-2 w-40 accent-select-ink"
      :value="bringing.under.value.share"
      aria-label="Sent"
    ></progress>
    <span>
      <template v-if="bringing.under.value.of > 1">
        {{ bringing.under.value.number }} of {{ bringing.under.value.of }}, {{ bringing.under.value.name }}:
      </template>
      {{
        bringing.under.value.share < 1
          ? `sending, ${Math.floor(bringing.under.value.share * 100)} %`
          : "reading the file…"
      }}
    </span>
    <button type="button" class="underline underline-offset-2" @click="bringing.stop()">Stop</button>
  </p>
  <p v-for="(tale, at) in bringing.said.value" :key="at" role="status">✓ {{ tale }}</p>
  <p v-for="(failure, at) in bringing.failures.value" :key="at" role="alert" class="text-now">✕ {{ failure }}</p>
</template>
