<script setup lang="ts">
import Glyph from "../components/Glyph.vue";
import ReachGrid from "../components/ReachGrid.vue";
import { FAMILY, FAMILY_COLOR, type EffectKind } from "../lib/document";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import { useNewField } from "./newField";

const shot = useShot();
const view = useView();
const add = useNewField();
const KINDS: [EffectKind, string][] = [["anchor", "holds pieces from the start"], ["strain", "loads bonds in one blow"], ["burst", "throws pieces outwards"]];
</script>

<template>
  <div class="section">
    <div class="panel-head"><h2>Reach</h2><span>pieces in reach now</span></div>
    <ReachGrid v-if="shot.fields.length && shot.things.length" />
    <p v-else class="mute">Fields trigger, hold and shape the collapse. Add one to see what it reaches.</p>
  </div>
  <div class="section">
    <header><h3>Add a field</h3></header>
    <button v-for="[kind, why] in KINDS" :key="kind" class="add" :data-testid="`add-${kind}`" @click="add(kind)"><Glyph :name="kind" :style="{ color: FAMILY_COLOR[FAMILY[kind]] }" /><b>{{ kind }}</b><span>{{ why }}</span></button>
  </div>
  <div class="section">
    <header><h3>See</h3></header>
    <div class="row"><span class="label">colour by</span><div class="choices"><button v-for="c in ['material', 'reach'] as const" :key="c" :aria-pressed="view.colorBy === c" @click="view.colorBy = c">{{ c }}</button></div></div>
  </div>
</template>

<style scoped>
.add { display: flex; align-items: center; gap: 9px; width: 100%; height: 32px; border: 0; border-radius: var(--radius); background: none; cursor: pointer; text-align: left; padding: 0 6px; }
.add:hover { background: var(--basalt-3); }
.add b { font-weight: 600; width: 52px; }
.add span { color: var(--mute); font-size: 12px; white-space: nowrap; }
</style>
