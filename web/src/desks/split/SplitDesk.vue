<script setup lang="ts">
import { computed, ref } from "vue";

import { useOffers } from "@/api/offers";
import ChoiceField from "@/controls/ChoiceField.vue";
import ColourField from "@/controls/ColourField.vue";
import SectionBlock from "@/controls/SectionBlock.vue";
import SwitchField from "@/controls/SwitchField.vue";
import TextField from "@/controls/TextField.vue";
import GroundBar from "@/picture/GroundBar.vue";
import LivePicture from "@/picture/LivePicture.vue";
import type { SheetColumn } from "@/sheet/columns";
import DeskFrame from "@/sheet/DeskFrame.vue";
import { cameraNames } from "@/shot/cameras";
import FindingList from "@/shot/FindingList.vue";
import { useShot } from "@/shot/store";

const shot = useShot();
const offers = useOffers();
const BACKDROPS = [
  { name: "clear", title: "Clear" },
  { name: "colour", title: "One colour" },
  { name: "surroundings", title: "Surroundings" },
];
const chosen = ref(0);
const outputs = computed(() => shot.examined?.plan?.outputs ?? []);
const columns = computed<SheetColumn[]>(() => {
  const at = new Map(shot.frames.map((frame, index) => [frame, index]));
  const output = outputs.value[Math.min(chosen.value, outputs.value.length - 1)];
  if (!output) return [];
  return [
    {
      key: output.pass_name,
      title: `${output.layer} / ${output.pass_name}`,
      mark: (frame) => ({ text: output.names[at.get(frame) ?? -1] ?? "" }),
    },
  ];
});
const layer = computed(() => shot.draft?.layers[0]);
const cameras = computed(() => [
  { name: "", title: `The one in view: ${shot.draft?.view ?? ""}` },
  ...(shot.draft ? cameraNames(shot.draft) : []).map((name) => ({ name, title: name })),
]);

function toggle(pass: string, on: boolean) {
  const order = (offers.value?.passes ?? []).map((one) => one.name);
  const kept = new Set(layer.value?.passes);
  if (on) kept.add(pass);
  else kept.delete(pass);
  shot.edit(
    "layers.0.passes",
    order.filter((one) => kept.has(one)),
    true,
    on ? `Add ${pass}` : `Leave out ${pass}`,
  );
}
function insert(field: string) {
  const text = field === "frame" ? "{frame:04}" : field === "version" ? "{version:03}" : `{${field}}`;
  const rule = shot.draft?.naming ?? "";
  const ending = ".{ext}";
  const next = rule.endsWith(ending) ? `${rule.slice(0, -ending.length)}${text}${ending}` : rule + text;
  shot.edit("naming", next, true, "File-name rule");
}
</script>

<template>
  <DeskFrame :columns sheet-width="24rem">
    <template #picture>
      <LivePicture class="flex-1" :camera="layer?.camera ?? ''" />
      <GroundBar><span class="text-soft">only for looking, never in a file</span></GroundBar>
    </template>
    <template v-if="shot.draft && layer" #settings>
      <h2 class="px-3 pt-2 pb-1 font-title text-lg">Split</h2>
      <SectionBlock title="What is behind">
        <ChoiceField
          label="Backdrop of picture, run and files"
          :model-value="shot.draft.backdrop.kind"
          :options="BACKDROPS"
          initial="clear"
          @commit="shot.edit('backdrop.kind', $event, true, 'Backdrop')"
        />
        <ColourField
          v-if="shot.draft.backdrop.kind === 'colour'"
          label="Colour"
          :model-value="shot.draft.backdrop.colour"
          :error="shot.problems['backdrop.colour']"
          @update="shot.edit('backdrop.colour', $event, false)"
          @commit="shot.edit('backdrop.colour', $event, true, 'Backdrop colour')"
        />
        <p v-else-if="shot.draft.backdrop.kind === 'surroundings'" class="text-soft">
          What lights the set stands behind it, in every pass and file; nothing is see-through.
        </p>
        <p v-else class="text-soft">Everything around the elements is see-through, in every pass and file.</p>
      </SectionBlock>
      <FindingList desk="split" />
      <SectionBlock title="Layer and passes">
        <TextField
          label="Layer name"
          :model-value="layer.name"
          :error="shot.problems['layers.0.name']"
          @commit="shot.edit('layers.0.name', $event, true, 'Layer name')"
        />
        <ChoiceField
          v-if="cameras.length > 2"
          label="Camera of this layer"
          :model-value="layer.camera"
          :options="cameras"
          initial=""
          :error="shot.problems['layers.0.camera']"
          @commit="shot.edit('layers.0.camera', $event, true, 'Camera of the layer')"
        />
        <SwitchField
          v-for="pass in offers?.passes"
          :key="pass.name"
          :label="`${pass.name}: ${pass.title.toLowerCase()}`"
          :model-value="layer.passes.includes(pass.name)"
          @commit="toggle(pass.name, $event)"
        />
        <p v-if="shot.problems['layers.0.passes']" class="text-xs text-now" role="alert">
          ✕ A layer needs at least one pass.
        </p>
      </SectionBlock>
      <SectionBlock title="File names">
        <TextField
          label="Rule"
          lines
          :model-value="shot.draft.naming"
          :error="shot.examined?.naming_error ?? shot.problems.naming"
          @update="shot.edit('naming', $event.replace(/\n/g, ''), false)"
          @commit="shot.edit('naming', $event.replace(/\n/g, ''), true, 'File-name rule')"
        />
        <div class="flex flex-wrap gap-1" aria-label="Insert a field">
          <button
            v-for="field in offers?.naming_fields"
            :key="field.name"
            type="button"
            class="rounded-sm border border-line bg-sheet px-1 text-xs text-soft hover:text-ink"
            :title="field.title"
            @click="insert(field.name)"
          >
            {{ `{${field.name}\}` }}
          </button>
        </div>
        <ol v-if="outputs.length" class="grid gap-2 pt-1" aria-label="Sequences">
          <li v-for="(output, at) in outputs" :key="output.first">
            <button
              type="button"
              class="block w-full border-l-2 pl-2 text-left"
              :class="at === chosen ? 'border-select-ink' : 'border-line'"
              :aria-pressed="at === chosen"
              @click="chosen = at"
            >
              <b class="font-semibold">{{ output.layer }} / {{ output.pass_name }}</b> · {{ output.count }}
              {{ output.count === 1 ? "file" : "files" }}
              <span class="block text-xs break-all text-soft">{{
                output.folder ? `${output.folder}/` : "(no folder)"
              }}</span>
              <span class="block text-xs break-all">{{ output.first.split("/").at(-1) }}</span>
              <span v-if="output.count > 1" class="block text-xs break-all">{{ output.last.split("/").at(-1) }}</span>
            </button>
          </li>
        </ol>
        <p v-if="shot.examined?.plan" class="text-soft">
          {{ shot.examined.plan.total }} files in all. The ending follows the recipe of the hand-off.
        </p>
        <p v-for="hint in shot.examined?.plan?.hints" :key="hint" class="text-warn">△ {{ hint }}</p>
      </SectionBlock>
    </template>
  </DeskFrame>
</template>
