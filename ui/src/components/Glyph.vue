<script setup lang="ts">
/** Our own glyphs, drawn on a 20-unit grid in the current colour. */
const PATHS: Record<string, string> = {
  // steps of the work
  build: "M3 16h14M5 16V9l5-4 5 4v7M8 16v-4h4v4",
  break: "M4 4h12v12H4zM9 4l-1.500 4.500L11 11l-2 5M8 8.500L4 10M11 11l5-1.500",
  bind: "M3.500 7.500h5v5h-5zM11.500 7.500h5v5h-5zM8.500 9h3M8.500 11h3",
  drive: "M10 3v3M10 14v3M3 10h3M14 10h3M10 7.500a2.500 2.500 0 1 0 .01 0M5 5l1.800 1.800M13.200 13.200L15 15",
  run: "M3 16h14M5 16v-4M8 16V7M11 16v-6M14 16V4",
  export: "M10 12V3M6.500 6.500L10 3l3.500 3.500M4 11v5h12v-5",
  // effects: each family has its own outline as well as its own hue
  anchor: "M4 8V4h12v4M10 4v9M5.500 16.500h9M7.500 13h5v3.500h-5z",
  strain: "M12 2.500L6 11h4l-2 6.500L15 8h-4.500z",
  burst:
    "M10 10h.01M10 2.500v3M10 14.500v3M2.500 10h3M14.500 10h3M4.700 4.700l2.100 2.100" +
    "M13.200 13.200l2.100 2.100M4.700 15.300l2.100-2.100M13.200 6.800l2.100-2.100",
  kill: "M5 5l10 10M15 5L5 15M3 10a7 7 0 1 0 14 0 7 7 0 1 0-14 0",
  vortex: "M10 10c2-1 2.500 2 .5 2.500S6.500 11 7.500 8.500 12 5.500 14 8s-.5 7.500-5 7.500S2.500 12 4 7.500",
  wind: "M2.500 7h9a2.500 2.500 0 1 0-2.500-2.500M2.500 11h13a2.500 2.500 0 1 1-2.500 2.500M2.500 15h6",
  attractor:
    "M10 10h.01M10 2.500v4M8.500 5L10 6.500 11.500 5M10 17.500v-4M8.500 15l1.500-1.500 1.500 1.500" +
    "M2.500 10h4M5 8.500L6.500 10 5 11.500M17.500 10h-4M15 8.500L13.500 10l1.500 1.500",
  push: "M3 10h12M11 6l4 4-4 4M3 6v8",
  spin: "M10 4a6 6 0 1 1-5.500 3.500M4 3.500v4.500h4.500M10 10h.01",
  turbulence: "M2.500 7c2.500-4 5 4 7.500 0s5 4 7.500 0M2.500 13c2.500-4 5 4 7.500 0s5 4 7.500 0",
  drag: "M13 6a4 4 0 1 0 .01 8A4 4 0 1 0 13 6M2.500 7h4M2.500 10h5M2.500 13h4",
  gravity: "M10 2.500v11M6.500 10L10 13.500 13.500 10M4 17h12",
  displace: "M3 12h5v5H3zM11 3h6v6h-6zM8.500 11.500L11 9",
  falloff: "M10 8.500a1.500 1.500 0 1 0 .01 0M10 5.500a4.500 4.500 0 1 0 .01 0M10 2.500a7.500 7.500 0 1 0 .01 0",
  map: "M3 5l4.500-2 5 2L17 3v12l-4.500 2-5-2L3 17zM7.500 3v12M12.500 5v12",
  seen: "M2.500 10c2-3.500 4.500-5 7.500-5s5.500 1.500 7.500 5c-2 3.500-4.500 5-7.500 5s-5.500-1.500-7.500-5M10 8a2 2 0 1 0 .01 0",
  hidden:
    "M3 4l14 12" +
    "M5.500 6.500C4.300 7.300 3.300 8.500 2.500 10c2 3.500 4.500 5 7.500 5 1.200 0 2.400-.3 3.400-.8" +
    "M9 5.100c3.500-.4 6.300 1.300 8.500 4.900-.6 1-1.300 1.900-2 2.600",
  locked: "M5 9h10v8H5zM7 9V6.500a3 3 0 0 1 6 0V9",
  loose: "M5 9h10v8H5zM7 9V5.500a3 3 0 0 1 5.800-1",
  more: "M5 10h.01M10 10h.01M15 10h.01",
  up: "M5 12l5-5 5 5",
  down: "M5 8l5 5 5-5",
  // ties
  pin: "M10 3a3.500 3.500 0 1 0 .01 0M10 10v7.500",
  string: "M4 4h.01M16 16h.01M4.500 4.500c7 .5 1 10.500 11 11",
  hinge: "M3.500 16.500L10 10l6.500 6.500M10 7.500a2.500 2.500 0 1 0 .01 0",
  weld: "M3 8h6v9H3zM11 3h6v9h-6zM9 12h2",
  sewn: "M3 10h3M8.5 10h3M14 10h3M4.5 7v6M10 7v6M15.5 7v6",
  peg: "M10 3l4 5-4 9-4-9z",
  shape: "M10 2.500l6.500 4.500-2 8.500h-9l-2-8.500z",
  // shapes
  box: "M3.500 6.500L10 3l6.500 3.500v7L10 17l-6.500-3.500zM3.500 6.500L10 10l6.500-3.500M10 10v7",
  sphere: "M10 3a7 7 0 1 0 .01 0M3 10c2.500 2.200 11.500 2.200 14 0",
  cylinder: "M4.500 5.500c0-3 11-3 11 0v9c0 3-11 3-11 0zM4.500 5.500c0 3 11 3 11 0",
  tube: "M4 6c0-3 12-3 12 0v8c0 3-12 3-12 0zM4 6c0 3 12 3 12 0M7.500 6c0-1.200 5-1.200 5 0s-5 1.200-5 0",
  cone: "M10 3L16 15c0 2.500-12 2.500-12 0z",
  torus:
    "M10 5c5 0 7 2.200 7 5s-2 5-7 5-7-2.200-7-5 2-5 7-5z" +
    "M10 8.500c2 0 2.800.6 2.800 1.500s-.8 1.500-2.800 1.500-2.800-.6-2.800-1.500.8-1.500 2.800-1.500z",
  sheet: "M2.500 12L8 6h9.500L12 12zM2.500 12v1.500H12V12M12 13.500l5.500-6V6",
  line: "M3 15C5 5 8 5 10 10s5 5 7-5",
  file: "M5 2.500h6.500L15 6v11.500H5zM11.500 2.500V6H15M7.500 10h5M7.500 13h5",
  // transport
  play: "M6 4l10 6-10 6z",
  pause: "M6 4h3v12H6zM11 4h3v12h-3z",
  back: "M14 4L6 10l8 6zM5 4v12",
  forth: "M6 4l8 6-8 6zM15 4v12",
  start: "M5 4v12M15 4l-7 6 7 6z",
  loop: "M5 8a5.500 5.500 0 0 1 10-1M15 12a5.500 5.500 0 0 1-10 1M15 3v4h-4M5 17v-4h4",
  // edit
  undo: "M8 5L4 9l4 4M4 9h7a4.500 4.500 0 0 1 0 9H9",
  redo: "M12 5l4 4-4 4M16 9H9a4.500 4.500 0 0 0 0 9h2",
  move: "M10 3v14M3 10h14M10 3L8 5.500M10 3l2 2.500M10 17l-2-2.500M10 17l2-2.500M3 10l2.500-2M3 10l2.500 2M17 10l-2.500-2M17 10l-2.500 2",
  turn: "M15.500 8A6 6 0 1 0 16 11M16 4v4.500h-4.500",
  scale: "M4 16L16 4M16 4h-5M16 4v5M4 16h5M4 16v-5",
  plus: "M10 4v12M4 10h12",
  cross: "M5 5l10 10M15 5L5 15",
  copy: "M7 7h9v9H7zM4 13V4h9",
  sun: "M10 6.500a3.500 3.500 0 1 0 .01 0M10 2v2M10 16v2M2 10h2M16 10h2",
  moon: "M15 12.500A6.500 6.500 0 0 1 8 4a6.500 6.500 0 1 0 7 8.500z",
  fit: "M3 7V3h4M13 3h4v4M17 13v4h-4M7 17H3v-4M8 8h4v4H8z",
  check: "M10 3l7.500 13h-15zM10 8v4M10 14v.5",
  fold: "M5 8l5 5 5-5",
  body: "M4 7l6-3.500L16 7v6l-6 3.500L4 13z",
};
const FILLED = new Set(["play", "pause", "strain", "back", "forth", "start"]);
defineProps<{ name: string; size?: number }>();
</script>

<template>
  <svg :width="size ?? 16" :height="size ?? 16" viewBox="0 0 20 20" aria-hidden="true" class="glyph">
    <path
      :d="PATHS[name] ?? ''"
      :fill="FILLED.has(name) ? 'currentColor' : 'none'"
      stroke="currentColor"
      stroke-width="1.500"
      stroke-linejoin="round"
      stroke-linecap="round" />
  </svg>
</template>

<style scoped>
.glyph {
  flex: none;
  display: block;
}
</style>
