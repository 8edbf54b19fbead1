<script setup lang="ts">
/** Bodies to choose from, with a figure each. */
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import type { Body } from "../api/types";

defineProps<{ figure: (body: Body) => string }>();
const shot = useShot();
const view = useView();
</script>

<template>
  <div class="section list">
    <button v-for="b in shot.bodies" :key="b.name" class="item" :class="{ chosen: view.selection?.kind === 'body' && view.selection.name === b.name }" @click="view.select({ kind: 'body', name: b.name })">
      <i :style="{ background: b.material.look?.color }" /><span>{{ b.name }}</span><em class="figures">{{ figure(b) }}</em>
    </button>
  </div>
</template>

<style scoped>
.list { padding: 6px 0; }
.item { display: flex; align-items: center; gap: 9px; width: 100%; height: 28px; padding: 0 14px; background: none; border: 0; cursor: pointer; text-align: left; }
.item:hover { background: var(--basalt-2); }
.item.chosen { background: var(--basalt-3); }
.item i { width: 11px; height: 11px; border-radius: 3px; flex: none; }
.item span { flex: 1; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.item em { font-style: normal; color: var(--mute); }
</style>
