<script setup lang="ts">
import { ElButton } from "element-plus";
import { computed } from "vue";
import { useSurvey } from "../stores/survey";
import { usePieces } from "../stores/pieces";
import { useView, type Step } from "../stores/view";
import Glyph from "./Glyph.vue";
import HelpMenu from "./HelpMenu.vue";

const view = useView();
const survey = useSurvey();
const pieces = usePieces();
const STEPS: [Step, string, string][] = [
  ["build", "Build", "bring bodies in and place them"],
  ["break", "Break", "break bodies into pieces"],
  ["bind", "Bind", "bonds between pieces, and what holds them"],
  ["drive", "Drive", "fields: what happens, where and when"],
  ["run", "Run", "takes and what happened in them"],
  ["export", "Export", "hand a take on as a file"],
];
const marks = computed(
  () => new Set([...survey.findings.map((f) => f.step), ...(pieces.errors.size ? ["build"] : [])]),
);
</script>

<template>
  <nav class="rail" aria-label="Steps">
    <ElButton
      class="bare"
      v-for="([step, word, why], k) in STEPS"
      :key="step"
      :class="{ open: view.step === step }"
      :aria-current="view.step === step ? 'step' : undefined"
      v-hint="`${why} (${k + 1})`"
      :data-testid="`step-${step}`"
      @click="view.step = step">
      <Glyph :name="step" :size="22" /><span>{{ word }}</span
      ><i v-if="marks.has(step)" class="mark" v-hint="'something to check'" />
    </ElButton>
    <span class="space" />
    <HelpMenu />
  </nav>
</template>

<style scoped>
.rail {
  display: flex;
  flex-direction: column;
  background: var(--basalt-1);
  border-right: 1px solid var(--line);
  width: 60px;
}
button {
  position: relative;
  display: flex;
  flex-direction: column;
  align-items: center;
  justify-content: center;
  gap: 4px;
  height: 62px;
  background: none;
  border: 0;
  border-left: 3px solid transparent;
  color: var(--mute);
  cursor: pointer;
  font-size: 12px;
  padding-right: 3px;
}
button:hover {
  color: var(--chalk);
}
.open {
  background: var(--basalt-3);
  border-left-color: var(--accent);
  color: var(--chalk);
}
.space {
  flex: 1;
}
.mark {
  position: absolute;
  top: 10px;
  right: 12px;
  width: 7px;
  height: 7px;
  border-radius: 50%;
  background: var(--brass);
}
</style>
