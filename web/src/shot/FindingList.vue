<script setup lang="ts">
import { computed } from "vue";

import { useShot } from "./store";

const props = defineProps<{ desk?: string }>();
const shot = useShot();
const findings = computed(() =>
  (shot.examined?.findings ?? []).filter((one) => !props.desk || one.desk === props.desk),
);
</script>

<template>
  <ul v-if="findings.length" class="grid gap-2 border-t border-line px-3 py-2" aria-label="Findings">
    <li
      v-for="finding in findings"
      :key="finding.code + finding.field"
      class="grid gap-1 border-l-2 pl-2"
      :class="finding.level === 'warning' ? 'border-warn' : 'border-rule'"
    >
      <span
        ><b class="font-semibold" :class="finding.level === 'warning' ? 'text-warn' : 'text-soft'">{{
          finding.level === "warning" ? "△ Watch out" : "◦ Hint"
        }}</b>
        {{ finding.message }}</span
      >
      <button
        v-if="finding.mend_title"
        type="button"
        class="w-fit font-medium text-select-ink underline underline-offset-2"
        @click="shot.editMany(finding.mend, finding.mend_title)"
      >
        {{ finding.mend_title }}
      </button>
    </li>
  </ul>
</template>
