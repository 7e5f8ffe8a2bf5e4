import type { JsonSchema } from "@/api/offers";

type Conditions = Record<string, string | string[]>;

/** One field of a form, read from a JSON schema. */
export interface FieldPlan {
  name: string;
  title: string;
  help: string | undefined;
  widget: string;
  schema: JsonSchema;
  initial: unknown;
  number: { unit: string; step: number; min: number; max: number; whole: boolean };
  slider: [number, number] | undefined;
  options: { name: string; title: string }[];
  /** Values of other fields under which this one has a meaning. */
  when: Conditions | undefined;
  /** Of these one is enough. */
  any: Conditions[] | undefined;
  /** Title under which it is folded away, with others; empty: it is always seen. */
  fold: string;
}

/** Whether a field has a meaning beside the values of its part. */
export function isMeant(field: FieldPlan, values: Record<string, unknown> | undefined): boolean {
  const holds = (when: Conditions) =>
    Object.entries(when).every(([name, wanted]) => [wanted].flat().includes(values?.[name] as string));
  return holds(field.when ?? {}) && (!field.any || field.any.some(holds));
}

export interface FieldGroup {
  title: string;
  fields: FieldPlan[];
}

/** The schema that a ``$ref`` stands for, with what is written beside the reference on top. */
export function resolveRef(schema: JsonSchema, root: JsonSchema): JsonSchema {
  if (!schema.$ref) return schema;
  const name = schema.$ref.split("/").at(-1) ?? "";
  const beside = { ...schema };
  delete beside.$ref;
  return { ...resolveRef(root.$defs?.[name] ?? {}, root), ...beside };
}

function widgetOf(schema: JsonSchema): string {
  const asked = schema["x-widget"];
  if (asked) return asked;
  if (schema.type === "object") return "part";
  if (schema.type === "array") return "vector";
  if (schema.type === "boolean") return "switch";
  if (schema.enum) return "choice";
  if (schema.type === "number" || schema.type === "integer") return schema["x-slider"] ? "slider" : "number";
  return "text";
}

function capital(text: string) {
  return text.charAt(0).toUpperCase() + text.slice(1);
}

/** Fields of an object schema in their order, gathered under their groups in the order of first appearance. */
export function planFields(schema: JsonSchema, root: JsonSchema, skip: string[]): FieldGroup[] {
  const own = resolveRef(schema, root);
  const groups = new Map<string, FieldPlan[]>();
  const fields = Object.entries(own.properties ?? {})
    .filter(([name]) => !skip.includes(name))
    .map(([name, raw]) => [name, resolveRef(raw, root), raw] as const);
  // What a kind adds comes before what all kinds share.
  const ordered = [...fields.filter(([, field]) => !field["x-late"]), ...fields.filter(([, field]) => field["x-late"])];
  for (const [name, field, raw] of ordered) {
    const title = field.title ?? capital(name);
    const group = field["x-group"] || (widgetOf(field) === "part" ? title : (own.title ?? "Values"));
    const plan: FieldPlan = {
      name,
      title,
      help: field.description,
      widget: widgetOf(field),
      schema: field,
      initial: raw.default ?? field.default,
      number: {
        unit: field["x-unit"] ?? "",
        step: field["x-step"] ?? 1,
        min: field.minimum ?? -Infinity,
        max: field.maximum ?? Infinity,
        whole: field.type === "integer",
      },
      slider: field["x-slider"],
      when: field["x-when"],
      any: field["x-any"],
      fold: field["x-fold"] ?? "",
      options: (field.enum ?? []).map((one) => ({ name: one, title: one })),
    };
    groups.set(group, [...(groups.get(group) ?? []), plan]);
  }
  return [...groups].map(([title, fields]) => ({ title, fields }));
}

/** The schema of one kind out of a union, by the constant of its ``kind`` field. */
export function schemaOfKind(root: JsonSchema, kind: string): JsonSchema {
  for (const schema of Object.values(root.$defs ?? {})) {
    if (schema.properties?.kind?.const === kind) return schema;
  }
  return {};
}
