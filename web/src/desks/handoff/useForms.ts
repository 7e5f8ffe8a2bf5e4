import { ref, watch } from "vue";

import { type ChosenForm } from "./forms";

/** Where the browser keeps them. */
const PLACE = "zeitbild forms";

function remembered(): ChosenForm[] {
  try {
    const found: unknown = JSON.parse(localStorage.getItem(PLACE) ?? "[]");
    if (!Array.isArray(found)) return [];
    return found.flatMap((one: Partial<ChosenForm> | null, key) =>
      typeof one?.recipe === "string" && typeof one.options === "object" && Array.isArray(one.without)
        ? [{ key, recipe: one.recipe, options: one.options ?? {}, without: one.without.map(String) }]
        : [],
    );
  } catch {
    return [];
  }
}

/** The forms that are chosen: those of the last time, or one that everybody can read. */
export function useForms() {
  const first = remembered();
  const forms = ref<ChosenForm[]>(first.length ? first : [{ key: 0, recipe: "png8", options: {}, without: [] }]);
  watch(forms, (now) => localStorage.setItem(PLACE, JSON.stringify(now)), { deep: true });
  const next = () => Math.max(-1, ...forms.value.map((one) => one.key)) + 1;
  const with_ = (key: number, change: Partial<ChosenForm>) =>
    (forms.value = forms.value.map((one) => (one.key === key ? { ...one, ...change } : one)));
  return {
    forms,
    add: (recipe: string) => (forms.value = [...forms.value, { key: next(), recipe, options: {}, without: [] }]),
    remove: (key: number) => (forms.value = forms.value.filter((one) => one.key !== key)),
    change: (key: number, options: Record<string, string>) => with_(key, { options }),
    leaveOut(key: number, passes: string[]) {
      const own = forms.value.find((one) => one.key === key);
      if (own) with_(key, { without: [...own.without, ...passes] });
    },
    replace: (kept: Omit<ChosenForm, "key">[]) => (forms.value = kept.map((one, at) => ({ key: next() + at, ...one }))),
  };
}
