import { onBeforeUnmount, onMounted } from "vue";

import { filesOf } from "@/api/upload";

/** Hear of files that are dropped anywhere on the page while a component is there (``App`` sees to it that they may be dropped). */
export function useDrops(take: (files: File[]) => Promise<void>) {
  async function drop(event: DragEvent) {
    if (event.dataTransfer?.types.includes("Files")) await take(await filesOf(event.dataTransfer));
  }
  onMounted(() => window.addEventListener("drop", drop));
  onBeforeUnmount(() => window.removeEventListener("drop", drop));
}
