/** Whether a pointer is held down, anywhere on the page: something may be being dragged. */
let held = false;
const listening = { capture: true, passive: true };
window.addEventListener("pointerdown", () => (held = true), listening);
window.addEventListener("pointerup", () => (held = false), listening);
window.addEventListener("pointercancel", () => (held = false), listening);

export function isHeld() {
  return held;
}
