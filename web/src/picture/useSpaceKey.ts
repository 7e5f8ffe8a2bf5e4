import { onBeforeUnmount, onMounted } from "vue";

/** Space plays and stops, unless it presses a control or types. */
export function useSpaceKey(toggle: () => void) {
  function pressed(event: KeyboardEvent) {
    if (event.key !== " " || event.ctrlKey || event.altKey || event.metaKey) return;
    const target = event.target;
    if (target instanceof HTMLElement && target.closest("input,textarea,button,select,a,[role=switch],[role=radio]"))
      return;
    event.preventDefault();
    toggle();
  }
  onMounted(() => window.addEventListener("keydown", pressed));
  onBeforeUnmount(() => window.removeEventListener("keydown", pressed));
}
