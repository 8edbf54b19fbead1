<script setup lang="ts">
/** Five stops round the screen, offered once and skipped by a press. */
import { useStorage } from "@vueuse/core";
import { ElButton, ElTour, ElTourStep } from "element-plus";
import { computed } from "vue";
import { useView } from "../stores/view";

const view = useView();
/** the view asks for a click: nothing else is offered then */
const asking = computed(() => !!view.placing || view.placingField || !!view.drawing);
const met = useStorage("met", false);
const open = computed({
  get: () => view.help === "tour",
  set: (on) => {
    view.help = on ? "tour" : null;
    met.value = true;
  },
});
const STOPS = [
  [
    "nav.rail",
    "right",
    "Six steps",
    "Build, break, bind, drive, run, export: from the top down, and back at any time.",
  ],
  [
    ".panel",
    "right",
    "What the step does",
    "Its panel has the tools. Every word has a sentence: rest the pointer on it.",
  ],
  [
    "aside.inspector",
    "left",
    "What is chosen",
    "Its numbers stand here. Scrub them sideways, type units, press a peg to key one.",
  ],
  ["[data-testid=bake]", "bottom", "Bake", "Computes the shot. Press it again to stop and keep what is done."],
  [
    "[aria-label='Cue sheet']",
    "top",
    "When it happens",
    "Fields, keys and ties over time, and what broke. Drag them; Space plays.",
  ],
] as const;
</script>

<template>
  <div v-if="!met && !open && !asking" class="offer" data-testid="offer-tour">
    <p>First time here?</p>
    <ElButton size="small" type="primary" @click="open = true">Five stops show the way</ElButton
    ><ElButton size="small" text @click="met = true">not now</ElButton>
  </div>
  <ElTour v-model="open" append-to="body">
    <ElTourStep
      v-for="[target, placement, title, text] in STOPS"
      :key="target"
      :target="target"
      :placement="placement"
      :title="title"
      :description="text" />
  </ElTour>
</template>

<style scoped>
.offer {
  position: absolute;
  right: 12px;
  bottom: 62px;
  display: flex;
  align-items: center;
  gap: 8px;
  padding: 6px 6px 6px 12px;
  border: 1px solid var(--line-strong);
  border-radius: var(--radius);
  background: var(--basalt-1);
}
</style>
