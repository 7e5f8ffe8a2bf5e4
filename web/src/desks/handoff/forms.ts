/** The forms that a hand-off will have. */
import type { Recipe } from "@/api/offers";

/** A form as it is being chosen: what differs from what its recipe says, and passes that are left out of it. */
export interface ChosenForm {
  /** Tells forms of one recipe apart. */
  key: number;
  recipe: string;
  options: Record<string, string>;
  without: string[];
}

/** All options of a form, as its recipe has them where nothing was chosen. */
export function settled(form: ChosenForm, recipe: Recipe | undefined): Record<string, string> {
  return Object.fromEntries((recipe?.options ?? []).map((one) => [one.name, form.options[one.name] ?? one.initial]));
}

/** What of a form is not as its recipe says, in words. */
export function changed(form: ChosenForm, recipe: Recipe): string[] {
  return recipe.options.flatMap((one) => {
    const value = form.options[one.name];
    if (value === undefined || value === one.initial) return [];
    const shown = one.choices.find((choice) => choice.name === value)?.title ?? `${value} ${one.unit}`.trim();
    return [`${one.title}: ${shown || "none"}`];
  });
}

/** Options by what they are about, so that a form shows few at once. */
export function grouped(recipe: Recipe) {
  const size = ["width", "height", "fit", "place", "enlarged", "rate"];
  return {
    own: recipe.options.filter((one) => !size.includes(one.name)),
    size: recipe.options.filter((one) => size.includes(one.name)),
  };
}

/** A file that was handed off and is looked at here. */
export interface LookedAt {
  address: string;
  title: string;
  /** It is a movie, with controls. */
  moves: boolean;
}
