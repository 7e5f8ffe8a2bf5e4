<script setup lang="ts">
/**
 * Where action and titles are safe on a screen that crops, and the picture's middle. Drawn by the browser over the
 * picture: no file can contain it. Shares of width and height: SMPTE ST 2046-1 (93 % and 90 %).
 */
const AREAS = [
  { title: "action", share: 93 },
  { title: "titles", share: 90 },
];
</script>

<template>
  <svg class="pointer-events-none absolute inset-0 size-full" role="img" aria-label="Safe areas and middle">
    <g v-for="stroke in ['rgb(0 0 0 / 0.55)', 'white']" :key="stroke" :stroke fill="none">
      <g :stroke-width="stroke === 'white' ? 1 : 3">
        <rect
          v-for="area in AREAS"
          :key="area.title"
          :x="`${(100 - area.share) / 2}%`"
          :y="`${(100 - area.share) / 2}%`"
          :width="`${area.share}%`"
          :height="`${area.share}%`"
          :stroke-dasharray="area.title === 'titles' ? '6 5' : undefined"
        />
        <line x1="48%" x2="52%" y1="50%" y2="50%" />
        <line x1="50%" x2="50%" y1="46.5%" y2="53.5%" />
      </g>
    </g>
  </svg>
</template>
