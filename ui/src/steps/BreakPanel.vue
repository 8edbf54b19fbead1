<script setup lang="ts">
import { ElSlider } from "element-plus";
import { computed } from "vue";
import BodyList from "../components/BodyList.vue";
import NumberField from "../components/NumberField.vue";
import { showMass } from "../lib/units";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";

const shot = useShot();
const pieces = usePieces();
const view = useView();
const chosen = computed(() => (view.selection?.kind === "body" ? shot.bodies.find((b) => b.name === view.selection!.name) : undefined));
const figures = computed(() => (chosen.value ? pieces.built.get(chosen.value.name)?.figures : undefined));

function breakIt(): void {
  const name = chosen.value!.name;
  shot.editBody(name, `break ${name}`, (b) => {
    b.pattern = { kind: "cells", count: 60, seed: 1 };
    b.bonds ??= { strength: 400, unit: "kN/m2" };
  });
  view.colorBy = "piece";
  view.showing = "set-up";
}

function edit(what: string, key: "count" | "seed", value: number): void {
  const name = chosen.value!.name;
  shot.editBody(name, `${what} of ${name}`, (b) => b.pattern && (b.pattern[key] = value));
  view.showing = "set-up";
}

function mend(): void {
  const name = chosen.value!.name;
  shot.editBody(name, `make ${name} whole`, (b) => (b.pattern = null));
  view.colorBy = "material";
}
</script>

<template>
  <div class="section">
    <div class="panel-head"><h2>Break</h2><span>{{ chosen ? chosen.name : "pick a body" }}</span></div>
    <template v-if="chosen">
      <template v-if="chosen.pattern">
        <div class="row"><span class="label">pattern</span><span>cells</span></div>
        <div class="row"><label>count</label><NumberField label="count" whole :min="2" :max="5000" :model-value="chosen.pattern.count!" :initial="60" @update:model-value="(v) => edit('count', 'count', v)" /></div>
        <div class="row"><label>seed</label><NumberField label="seed" whole :min="0" :max="99999" :model-value="chosen.pattern.seed!" :initial="1" @update:model-value="(v) => edit('seed', 'seed', v)" /></div>
        <button class="button wide again" @click="edit('seed', 'seed', (chosen.pattern.seed! + 1) % 99999)">Scatter again</button>
        <button class="button wide" @click="mend">Make it whole</button>
      </template>
      <button v-else class="button main wide" data-testid="break-it" @click="breakIt">Break {{ chosen.name }} into cells</button>
      <p v-if="pieces.errors.get(chosen.name)" class="problem" role="alert">{{ pieces.errors.get(chosen.name) }}</p>
    </template>
    <p v-else-if="shot.bodies.length" class="mute">Pick a body in the view or below, then break it.</p>
    <p v-else class="mute">There is nothing to break yet. <button class="link" @click="view.step = 'build'">Add a body</button></p>
  </div>
  <BodyList v-if="shot.bodies.length" :figure="(b) => `${pieces.built.get(b.name)?.figures.pieces ?? '…'} pc`" />
  <div class="section">
    <header><h3>See</h3></header>
    <div class="row"><span class="label">colour by</span><div class="choices"><button v-for="c in ['material', 'piece'] as const" :key="c" :aria-pressed="view.colorBy === c" @click="view.colorBy = c">{{ c }}</button></div></div>
    <div class="row"><label>explode</label><ElSlider v-model="view.explode" :min="0" :max="1.5" :step="0.01" :show-tooltip="false" aria-label="explode" data-testid="explode" @input="view.showing = 'set-up'" /></div>
  </div>
  <div v-if="figures && figures.pieces > 1" class="section figures counts" data-testid="break-figures">
    <p><span>pieces</span><b>{{ figures.pieces }}</b></p>
    <p><span>smallest</span><b>{{ showMass(figures.smallest) }}</b></p>
    <p><span>largest</span><b>{{ showMass(figures.largest) }}</b></p>
    <p><span>triangles</span><b>{{ figures.triangles.toLocaleString("en") }}</b></p>
  </div>
</template>

<style scoped>
.again { margin: 6px 0; }
.counts p { display: flex; justify-content: space-between; line-height: 1.8; color: var(--soft); }
.counts b { font-weight: 500; color: var(--chalk); }
.problem { margin-top: 8px; }
</style>
