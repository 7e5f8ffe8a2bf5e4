<script setup lang="ts">
/** Who is in which layer, and how: a table that is filled with what was chosen above it, by clicking or dragging across. */
import { computed, ref } from "vue";

import { useOffers } from "@/api/offers";
import type { Layer, Membership } from "@/shot/document";
import { MEMBERSHIPS, membershipOf, withMembership, withOthers } from "@/shot/layers";
import { useShot } from "@/shot/store";

const props = defineProps<{ chosen: string }>();
const emit = defineEmits<{ choose: [layer: string] }>();
const shot = useShot();
const offers = useOffers();
const brush = ref<Membership>("shown");
const layers = computed(() => shot.draft?.layers ?? []);
/** Kinds that are only places for others. */
const places = computed(
  () => new Set((offers.value?.element_kinds ?? []).filter((kind) => !kind.seen).map((kind) => kind.name)),
);
const elements = computed(() =>
  (shot.draft?.elements ?? []).filter((one) => one.shown && !one.reference && !places.value.has(one.kind)),
);
/** A line of the table: an element, or a group with all that stands in it, which goes into layers together. */
interface Row {
  id: string;
  name: string;
  depth: number;
  /** The elements that a mark in it is for. */
  of: string[];
  group: boolean;
}
const rows = computed<Row[]>(() => {
  const all = shot.draft?.elements ?? [];
  const seen = new Set(elements.value.map((one) => one.id));
  const found: Row[] = [];
  const within = (id: string): string[] =>
    all.flatMap((one) => (one.inside === id ? [...(seen.has(one.id) ? [one.id] : []), ...within(one.id)] : []));
  function add(inside: string, depth: number) {
    for (const one of all) {
      if ((all.some((other) => other.id === one.inside) ? one.inside : "") !== inside) continue;
      const inner = within(one.id);
      if (inner.length) {
        const of = seen.has(one.id) ? [one.id, ...inner] : inner;
        found.push({ id: `group ${one.id}`, name: one.name, depth, of, group: true });
        if (seen.has(one.id)) found.push({ id: one.id, name: one.name, depth: depth + 1, of: [one.id], group: false });
        add(one.id, depth + 1);
      } else if (seen.has(one.id)) {
        found.push({ id: one.id, name: one.name, depth, of: [one.id], group: false });
      }
    }
  }
  add("", 0);
  return found;
});
/** What all of a line are in a layer; nothing if they differ. */
function common(layer: Layer, row: Row) {
  const own = new Set(row.of.map((id) => membershipOf(layer, id)));
  return own.size === 1 ? [...own][0] : undefined;
}
const lights = computed(() => [...new Set((shot.draft?.lights ?? []).filter((one) => one.on).map((one) => one.name))]);
const at = ref({ row: 0, column: 0 });

function mark(layer: Layer, row: Row) {
  const own = common(layer, row);
  return MEMBERSHIPS.find((one) => one.name === own) ?? { sign: "≠", word: "mixed" };
}
/** Layers with all of a line in one of them. */
function withRow(layers: Layer[], column: number, row: Row, to: Membership) {
  return row.of.reduce((next, id) => withMembership(next, column, id, to), layers);
}
function put(next: Layer[], commit: boolean) {
  shot.edit("layers", next, commit, "Members of layers");
}
function set(row: number, column: number, to: Membership, commit: boolean) {
  at.value = { row, column };
  const line = rows.value[row];
  if (line) put(withRow(layers.value, column, line, to), commit);
  else {
    const every = (shot.draft?.elements ?? []).map((one) => one.id);
    put(withOthers(layers.value, column, every, to), commit);
  }
}
function fillRow(row: number) {
  const line = rows.value[row];
  if (!line) return;
  let next = layers.value;
  layers.value.forEach((_, column) => (next = withRow(next, column, line, brush.value)));
  put(next, true);
}
function fillColumn(column: number) {
  let next = layers.value;
  for (const element of elements.value) next = withMembership(next, column, element.id, brush.value);
  put(next, true);
}
function toggleLight(column: number, light: string) {
  const next = layers.value.map((layer, number) => {
    if (number !== column) return layer;
    const off = layer.lights_off.includes(light);
    return {
      ...layer,
      lights_off: off ? layer.lights_off.filter((one) => one !== light) : [...layer.lights_off, light],
    };
  });
  shot.edit("layers", next, true, "Lights of layers");
}

let painting = false;
function start(event: PointerEvent, row: number, column: number) {
  if (event.button !== 0) return;
  painting = true;
  // So that the cells that the pointer comes over hear of it.
  (event.target as HTMLElement).releasePointerCapture(event.pointerId);
  set(row, column, brush.value, false);
  window.addEventListener("pointerup", end, { once: true });
}
function over(row: number, column: number) {
  if (painting) set(row, column, brush.value, false);
}
function end() {
  if (painting) void shot.save();
  painting = false;
}
const STEPS: Record<string, [number, number]> = {
  ArrowUp: [-1, 0],
  ArrowDown: [1, 0],
  ArrowLeft: [0, -1],
  ArrowRight: [0, 1],
};
function key(event: KeyboardEvent, row: number, column: number) {
  const step = STEPS[event.key];
  const typed = MEMBERSHIPS.find((one) => one.key === event.key.toLowerCase());
  if (step) {
    const next = {
      row: Math.min(Math.max(row + step[0], 0), rows.value.length),
      column: Math.min(Math.max(column + step[1], 0), layers.value.length - 1),
    };
    at.value = next;
    const table = (event.currentTarget as HTMLElement).closest("table");
    table?.querySelector<HTMLElement>(`[data-at="${next.row}/${next.column}"]`)?.focus();
  } else if (typed && !event.ctrlKey && !event.metaKey) set(row, column, typed.name, true);
  else if (event.key === "Enter" || event.key === " ") set(row, column, brush.value, true);
  else return;
  event.preventDefault();
  event.stopPropagation();
}
function isAt(row: number, column: number) {
  return at.value.row === row && at.value.column === column;
}
</script>

<template>
  <section class="border-t border-line px-3 py-2" aria-label="Members">
    <div class="mb-1 flex items-baseline justify-between gap-2">
      <h3 class="font-title text-[0.95rem]">Members</h3>
      <div class="flex gap-1" role="radiogroup" aria-label="Fill with">
        <button
          v-for="one in MEMBERSHIPS"
          :key="one.name"
          type="button"
          role="radio"
          class="condensed border-b-2 px-0.5 text-xs"
          :class="
            brush === one.name
              ? 'border-select-ink font-semibold text-select-ink'
              : 'border-transparent text-soft hover:text-ink'
          "
          :aria-checked="brush === one.name"
          :title="`${one.note} (key ${one.key.toUpperCase()})`"
          @click="brush = one.name"
        >
          {{ one.sign }} {{ one.word }}
        </button>
      </div>
    </div>
    <p v-if="!elements.length" class="text-soft">Nothing is in the set yet; elements come from the Build desk.</p>
    <div v-else class="overflow-x-auto">
      <table class="condensed w-full border-collapse text-xs select-none">
        <thead>
          <tr>
            <td></td>
            <th v-for="(layer, column) in layers" :key="layer.name" scope="col" class="min-w-[4.4rem] p-0 font-normal">
              <span class="flex items-center">
                <button
                  type="button"
                  class="min-w-0 flex-1 truncate px-1 text-left"
                  :class="layer.name === props.chosen ? 'font-semibold text-select-ink' : 'text-soft hover:text-ink'"
                  :aria-pressed="layer.name === props.chosen"
                  :title="`Look at ${layer.name}`"
                  @click="emit('choose', layer.name)"
                >
                  {{ layer.name }}
                </button>
                <button
                  type="button"
                  class="px-1 text-soft hover:text-ink"
                  :aria-label="`Make everything in ${layer.name} ${brush}`"
                  :title="`Make everything in ${layer.name} ${brush}`"
                  @click="fillColumn(column)"
                >
                  ↓
                </button>
              </span>
            </th>
          </tr>
        </thead>
        <tbody>
          <tr v-for="(line, row) in rows" :key="line.id">
            <th scope="row" class="max-w-24 p-0 text-left font-normal">
              <button
                type="button"
                class="w-full truncate pr-1 text-left hover:text-select-ink"
                :class="{ 'font-medium': line.group }"
                :style="{ paddingLeft: `${0.6 * line.depth}rem` }"
                :title="`Make ${line.name}${line.group ? ' and all in it' : ''} ${brush} in every layer`"
                @click="fillRow(row)"
              >
                {{ line.name }}
              </button>
            </th>
            <td v-for="(layer, column) in layers" :key="layer.name" class="border border-line p-0">
              <button
                type="button"
                class="w-full touch-none px-1 py-0.5 text-left whitespace-nowrap"
                :class="[
                  common(layer, line) === 'shown' ? 'bg-sheet font-medium' : 'text-soft',
                  layer.on ? '' : 'opacity-50',
                ]"
                :tabindex="isAt(row, column) ? 0 : -1"
                :data-at="`${row}/${column}`"
                :aria-label="`${line.name}${line.group ? ' and all in it' : ''} in ${layer.name}: ${common(layer, line) ?? 'mixed'}`"
                @pointerdown="start($event, row, column)"
                @pointerenter="over(row, column)"
                @keydown="key($event, row, column)"
              >
                {{ mark(layer, line).sign }} {{ mark(layer, line).word }}
              </button>
            </td>
          </tr>
          <tr>
            <th
              scope="row"
              class="pr-1 text-left font-normal text-soft italic"
              title="What elements become that are added later"
            >
              new elements
            </th>
            <td v-for="(layer, column) in layers" :key="layer.name" class="border border-line p-0">
              <button
                type="button"
                class="w-full touch-none px-1 py-0.5 text-left whitespace-nowrap text-soft italic"
                :tabindex="isAt(rows.length, column) ? 0 : -1"
                :data-at="`${rows.length}/${column}`"
                :aria-label="`New elements in ${layer.name}: ${layer.others}`"
                @pointerdown="start($event, rows.length, column)"
                @keydown="key($event, rows.length, column)"
              >
                {{ MEMBERSHIPS.find((one) => one.name === layer.others)?.sign }} {{ layer.others }}
              </button>
            </td>
          </tr>
          <tr v-for="light in lights" :key="light">
            <th scope="row" class="max-w-24 truncate pr-1 text-left font-normal" :title="`The light ${light}`">
              ☼ {{ light }}
            </th>
            <td v-for="(layer, column) in layers" :key="layer.name" class="border border-line p-0">
              <button
                type="button"
                class="w-full px-1 py-0.5 text-left whitespace-nowrap text-soft"
                :aria-label="`The light ${light} in ${layer.name}: ${layer.lights_off.includes(light) ? '– left out' : '☼ shines'}`"
                :aria-pressed="!layer.lights_off.includes(light)"
                @click="toggleLight(column, light)"
              >
                {{ layer.lights_off.includes(light) ? "– left out" : "☼ shines" }}
              </button>
            </td>
          </tr>
        </tbody>
      </table>
    </div>
  </section>
</template>
