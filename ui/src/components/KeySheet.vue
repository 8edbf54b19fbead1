<script setup lang="ts">
import { ElDialog } from "element-plus";

const open = defineModel<boolean>({ required: true });
const KEYS: [string, string][] = [
  ["1 … 6", "open a step"],
  ["Space", "play or pause"],
  ["Left, Right", "step a frame; with Shift ten"],
  ["Home, End", "first, last frame"],
  ["L", "start over at the end"],
  ["B", "bake"],
  ["M, T, K", "move, turn, scale handles"],
  ["0", "bring everything into view"],
  ["Delete", "delete what is chosen"],
  ["Escape", "choose nothing"],
  ["Ctrl+Z, Ctrl+Shift+Z", "undo, redo"],
  ["Ctrl+S", "save now (edits save themselves)"],
  ["?", "this sheet"],
];
</script>

<template>
  <ElDialog v-model="open" title="Keys" width="460">
    <dl>
      <template v-for="[key, what] in KEYS" :key="key"
        ><dt class="figures">{{ key }}</dt>
        <dd>{{ what }}</dd></template
      >
    </dl>
  </ElDialog>
</template>

<style scoped>
dl {
  display: grid;
  grid-template-columns: 170px 1fr;
  gap: 7px 12px;
  margin: 0;
}
dt {
  color: var(--accent);
}
dd {
  margin: 0;
}
</style>
