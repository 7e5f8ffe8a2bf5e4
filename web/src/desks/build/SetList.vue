<script setup lang="ts">
import { Eye, EyeOff, Lock, LockOpen } from "@lucide/vue";
import { computed, nextTick, ref } from "vue";

import { useKept } from "@/api/kept";
import { useOffers } from "@/api/offers";
import AddMenu from "@/controls/AddMenu.vue";
import type { Element } from "@/shot/document";
import { useShot } from "@/shot/store";

import { addElement, duplicate, insertElements, putInto } from "./elements";
import SetRow from "./SetRow.vue";

/** What is selected, and the identities of elements selected with it. */
const props = defineProps<{ selected: string; also: string[] }>();
const emit = defineEmits<{ select: [path: string]; also: [ids: string[]] }>();
const shot = useShot();
const offers = useOffers();
const elements = computed(() => shot.draft?.elements);
const kept = useKept(computed(() => shot.meta?.project_id ?? 0));
interface Addition {
  name: string;
  title: string;
  note?: string;
  picture?: string;
  add: () => string;
}
const kinds = computed<{ title: string; items: Addition[] }[]>(() =>
  [
    {
      title: "",
      items: (offers.value?.element_kinds ?? []).map((kind) => ({
        ...kind,
        // What repeats others does so with those that are selected.
        add: () =>
          kind.holds && !kind.seen && kind.name !== "group" && chosen.value.length
            ? putInto(shot, kind, chosen.value, `${kind.title} of ${chosen.value.map((one) => one.name).join(", ")}`)
            : addElement(shot, kind),
      })),
    },
    {
      title: "Kept in the project",
      items: kept.of("element").map((one) => ({
        name: `kept ${one.name}`,
        title: one.name,
        picture: kept.picture(one),
        add: () => {
          const [first] = insertElements(shot, one.content as Element[], `Add ${one.name}`);
          return pathOf(first);
        },
      })),
    },
  ].filter((group) => group.items.length),
);
const chosen = computed(() =>
  (elements.value ?? []).filter((one, index) => index === at.value || props.also.includes(one.id)),
);
const at = computed(() => (props.selected.startsWith("elements.") ? Number(props.selected.split(".")[1]) : -1));

function pathOf(id?: string) {
  return `elements.${elements.value?.findIndex((one) => one.id === id) ?? 0}`;
}
function add(addition: Addition) {
  emit("select", addition.add());
}
/** With Ctrl one more, or one less; with Shift all between. */
function choose(index: number, event: MouseEvent) {
  const all = elements.value ?? [];
  const id = all[index]?.id ?? "";
  const first = all[at.value]?.id;
  if (event.shiftKey && first !== undefined) {
    const [low, high] = [Math.min(index, at.value), Math.max(index, at.value)];
    emit(
      "also",
      all.slice(low, high + 1).flatMap((one) => (one.id === first ? [] : [one.id])),
    );
  } else if ((event.ctrlKey || event.metaKey) && first !== undefined && id !== first) {
    emit("also", props.also.includes(id) ? props.also.filter((one) => one !== id) : [...props.also, id]);
  } else emit("select", `elements.${index}`);
}
function copy() {
  const all = shot.draft?.elements ?? [];
  const [first, ...others] = duplicate(
    shot,
    all.filter((one, index) => index === at.value || props.also.includes(one.id)),
  );
  emit("select", pathOf(first));
  emit("also", others);
}
function remove() {
  const elements = shot.draft?.elements ?? [];
  const element = elements[at.value];
  if (!element) return;
  const gone = elements.filter((one) => one === element || props.also.includes(one.id));
  let rest = elements;
  for (const own of gone)
    rest = rest
      .filter((one) => one.id !== own.id)
      .map((one) => (one.inside === own.id ? { ...one, inside: own.inside } : one));
  shot.edit("elements", rest, true, gone.length > 1 ? `Delete ${gone.length} elements` : `Delete ${element.name}`);
  emit("select", rest.length ? "elements.0" : "camera");
}
/** With more, a field finds those whose name has some letters. */
const MANY = 10;
const wanted = ref("");
const rows = computed(() =>
  (elements.value ?? [])
    .map((element, index) => ({ element, index }))
    .filter(({ element }) => element.name.toLowerCase().includes(wanted.value.trim().toLowerCase())),
);
const dragged = ref(-1);
/** Puts an element to another place in the list; what is selected stays so. */
async function move(from: number, to: number) {
  const list = [...(shot.draft?.elements ?? [])];
  const element = list[from];
  const chosen = list[at.value];
  if (!element || to < 0 || to >= list.length || from === to) return;
  list.splice(from, 1);
  list.splice(to, 0, element);
  shot.edit("elements", list, true, `Move ${element.name} in the list`);
  if (chosen) emit("select", `elements.${list.indexOf(chosen)}`);
  // Where it is put it can be moved on.
  await nextTick();
  document.querySelector<HTMLElement>(`[data-element="${element.id}"] button`)?.focus();
}
/** What stands beside its name: that it is for reference, or the group that it stands in. */
function noteOf(element: Element) {
  const group = elements.value?.find((one) => one.id === element.inside)?.name;
  const note = element.reference ? "reference" : group ? `in ${group}` : "";
  return note ? { note } : {};
}
function lock(index: number, element: Element) {
  shot.edit(`elements.${index}.locked`, !element.locked, true, `${element.locked ? "Unlock" : "Lock"} ${element.name}`);
}
function toggle(index: number, element: Element) {
  shot.edit(
    `elements.${index}.shown`,
    !element.shown,
    true,
    element.shown ? `Hide ${element.name}` : `Show ${element.name}`,
  );
}
</script>

<template>
  <section class="px-3 py-2">
    <div class="mb-1 flex items-center justify-between">
      <h2 class="font-title text-lg">The set</h2>
      <AddMenu label="Add element" :groups="kinds" @pick="add" />
    </div>
    <p v-if="!elements?.length" class="pb-2 text-soft">Nothing is in the set yet. Add a word to begin.</p>
    <input
      v-if="(elements?.length ?? 0) > MANY"
      v-model="wanted"
      type="search"
      class="mb-1 w-full rounded-sm border border-rule bg-sheet px-1.5 py-1"
      placeholder="Find an element"
      aria-label="Find an element"
    />
    <p v-if="elements?.length && !rows.length" class="pb-2 text-soft">No element is called like that.</p>
    <ul>
      <SetRow
        v-for="{ element, index } in rows"
        :key="element.id"
        :name="element.name"
        :selected="selected === `elements.${index}` || also.includes(element.id)"
        renames
        v-bind="noteOf(element)"
        draggable="true"
        :data-element="element.id"
        title="Drag to another place, or Alt and an arrow key; double-click to rename; with Ctrl or Shift several"
        :editable="selected === `elements.${index}`"
        @dragstart="dragged = index"
        @dragend="dragged = -1"
        @dragover="dragged >= 0 && $event.preventDefault()"
        @drop.stop="move(dragged, index)"
        @keydown.alt.up.prevent.stop="move(index, index - 1)"
        @keydown.alt.down.prevent.stop="move(index, index + 1)"
        @select="choose(index, $event)"
        @rename="shot.edit(`elements.${index}.name`, $event, true, `Rename ${element.name}`)"
        @copy="copy"
        @remove="remove"
      >
        <button
          v-if="element.locked || selected === `elements.${index}`"
          type="button"
          class="p-1"
          :aria-label="`${element.name} locked`"
          :aria-pressed="element.locked"
          :title="
            element.locked ? 'Locked: hands on the picture leave it where it is' : 'Lock against hands on the picture'
          "
          @click="lock(index, element)"
        >
          <Lock v-if="element.locked" :size="14" aria-hidden="true" /><LockOpen v-else :size="14" aria-hidden="true" />
        </button>
        <button
          type="button"
          class="p-1"
          :aria-label="`${element.name} in the picture`"
          :aria-pressed="element.shown"
          :title="element.shown ? 'In the picture and in the files' : 'Neither in the picture nor in the files'"
          @click="toggle(index, element)"
        >
          <Eye v-if="element.shown" :size="14" aria-hidden="true" /><EyeOff v-else :size="14" aria-hidden="true" />
        </button>
      </SetRow>
    </ul>
  </section>
</template>
