<script setup lang="ts">
import { ElDialog } from "element-plus";

const open = defineModel<boolean>({ required: true });
const KEYS: [string, [string, string][]][] = [
  [
    "The shot",
    [
      ["1 … 6", "open a step"],
      ["B", "bake"],
      ["Ctrl+Z, Ctrl+Shift+Z", "undo, redo"],
      ["Ctrl+S", "save now (edits save themselves)"],
      ["?", "this sheet"],
    ],
  ],
  [
    "What is chosen",
    [
      ["Shift, Ctrl", "choose one more; Shift-drag in the view picks a box of pieces"],
      ["Ctrl+A", "choose all"],
      ["Ctrl+C, Ctrl+V", "copy, paste, also into another shot"],
      ["Ctrl+D", "double"],
      ["Delete", "delete"],
      ["H, I, O", "hide, show alone, hold in place"],
      ["Escape", "choose nothing; step back out"],
    ],
  ],
  [
    "The view",
    [
      ["0, C", "all of it, or what is chosen, into view"],
      ["M, T, K", "handles that move, turn, scale"],
      ["Ctrl while dragging", "in steps"],
    ],
  ],
  [
    "Time",
    [
      ["Space", "play or pause"],
      ["Left, Right", "step a frame; with Shift ten"],
      ["Home, End", "first, last frame"],
      ["L", "start over at the end"],
      ["Ctrl+wheel, Shift+wheel", "over the cue sheet: nearer, along"],
      ["Shift, Alt on pegs", "one more; stretch"],
    ],
  ],
];
</script>

<template>
  <ElDialog v-model="open" title="Keys" width="760">
    <div class="groups">
      <section v-for="[title, keys] in KEYS" :key="title">
        <h3>{{ title }}</h3>
        <dl>
          <template v-for="[key, what] in keys" :key="key"
            ><dt class="figures">{{ key }}</dt>
            <dd>{{ what }}</dd></template
          >
        </dl>
      </section>
    </div>
  </ElDialog>
</template>

<style scoped>
.groups {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 18px 28px;
}
h3 {
  font-size: 12.5px;
  margin-bottom: 6px;
}
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
