<script setup lang="ts">
/** Says when the server does not answer, and, where it matters, that no worker is there. */
import { useStudio } from "@/api/studio";

defineProps<{ workers?: boolean }>();
const studio = useStudio();
</script>

<template>
  <p
    v-if="!workers && !studio.answers.value"
    class="border-b border-rule bg-warn/10 px-4 py-1.5"
    role="alert"
    data-notice="server"
  >
    <b class="font-semibold text-warn">△ The server does not answer.</b> What you do here is kept and saved when it
    does; it is asked again every other second.
  </p>
  <p v-if="workers && studio.idle.value" class="px-3 py-2 text-warn" role="status" data-notice="worker">
    △ No worker is there, so nothing is rendered or written just now. What waits goes on by itself when one comes back
    (<code>./zeitbild worker</code> starts one).
  </p>
</template>
