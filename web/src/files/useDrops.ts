import { onBeforeUnmount, onMounted } from "vue";

import { filesOf } from "@/api/upload";

function over(event: DragEvent) {
  if (event.dataTransfer?.types.includes("Files")) event.preventDefault();
}
/** Hear of files that are dropped anywhere on the page while a component is there. */
export function useDrops(take: (files: File[]) => Promise<void>) {
  async function drop(event: DragEvent) {
    if (!event.dataTransfer?.types.includes("Files")) return;
    event.preventDefault();
    await take(await filesOf(event.dataTransfer));
  }
  onMounted(() => {
    window.addEventListener("drop", drop);
    window.addEventListener("dragover", over);
  });
  onBeforeUnmount(() => {
    window.removeEventListener("drop", drop);
    window.removeEventListener("dragover", over);
  });
}
