<script setup lang="ts">
import { Disclosure, DisclosureButton, DisclosurePanel } from "@headlessui/vue";

withDefaults(defineProps<{ title: string; open?: boolean }>(), { open: true });
</script>

<template>
  <Disclosure v-slot="{ open: isOpen }" as="section" :default-open="open" class="border-t border-line">
    <h3>
      <DisclosureButton class="flex w-full items-baseline justify-between px-3 py-1.5 text-left">
        <span class="font-title text-[0.95rem]">{{ title }}</span>
        <span aria-hidden="true" class="text-soft">{{ isOpen ? "–" : "+" }}</span>
      </DisclosureButton>
    </h3>
    <DisclosurePanel class="grid grid-cols-1 gap-2 px-3 pb-3"><slot /></DisclosurePanel>
  </Disclosure>
</template>
