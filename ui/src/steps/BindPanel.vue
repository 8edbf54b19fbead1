<script setup lang="ts">
import { computed } from "vue";
import BodyList from "../components/BodyList.vue";
import Glyph from "../components/Glyph.vue";
import NumberField from "../components/NumberField.vue";
import { FAMILY_COLOR } from "../lib/document";
import { showNumber } from "../lib/units";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useView } from "../stores/view";
import { useNewField } from "./newField";

const shot = useShot();
const pieces = usePieces();
const survey = useSurvey();
const view = useView();
const add = useNewField();
const chosen = computed(() => (view.selection?.kind === "body" ? shot.bodies.find((b) => b.name === view.selection!.name) : undefined));
const figures = computed(() => (chosen.value ? pieces.built.get(chosen.value.name)?.figures : undefined));
const anchors = computed(() => shot.fields.filter((f) => f.effect.kind === "anchor"));
const edit = (what: string, change: Parameters<typeof shot.editBody>[2]): void => shot.editBody(chosen.value!.name, `${what} of ${chosen.value!.name}`, change);
</script>

<template>
  <div class="section">
    <div class="panel-head"><h2>Bind</h2><span>{{ chosen ? chosen.name : "pick a body" }}</span></div>
    <template v-if="chosen?.pattern">
      <template v-if="chosen.bonds">
        <div class="row"><label>strength</label><NumberField label="strength" :unit="chosen.bonds.unit === 'kN' ? 'kN' : 'kN/m²'" :min="0" :max="1e6" :model-value="chosen.bonds.strength!" :initial="400" @update:model-value="(v) => edit('strength', (b) => (b.bonds!.strength = v))" /></div>
        <div class="row"><span class="label">given</span><div class="choices"><button :aria-pressed="chosen.bonds.unit === 'kN/m2'" @click="edit('strength unit', (b) => (b.bonds!.unit = 'kN/m2'))">per area</button><button :aria-pressed="chosen.bonds.unit === 'kN'" @click="edit('strength unit', (b) => (b.bonds!.unit = 'kN'))">per bond</button></div></div>
        <div v-if="figures" class="figures counts">
          <p><span>bonds</span><b>{{ figures.bonds }}</b></p>
          <p><span>weakest</span><b>{{ showNumber(figures.strength_low, 3) }} kN</b></p>
          <p><span>strongest</span><b>{{ showNumber(figures.strength_high, 3) }} kN</b></p>
          <p><span>own weight</span><b>{{ showNumber((figures.mass * 9.81) / 1000, 3) }} kN</b></p>
        </div>
        <button class="button wide" @click="edit('bonds', (b) => (b.bonds = null))">Set the pieces loose</button>
      </template>
      <button v-else class="button main wide" @click="edit('bonds', (b) => (b.bonds = { strength: 400, unit: 'kN/m2' }))">Bond the pieces</button>
    </template>
    <p v-else-if="chosen" class="mute">{{ chosen.name }} is whole. <button class="link" @click="view.step = 'break'">Break it</button> to have bonds.</p>
    <p v-else class="mute">Pick a broken body to set how strongly its pieces hold together.</p>
  </div>
  <BodyList v-if="shot.bodies.length" :figure="(b) => (b.bonds && b.pattern ? `${pieces.built.get(b.name)?.figures.bonds ?? '…'} bonds` : b.pattern ? 'loose' : 'whole')" />
  <div class="section">
    <header><h3>Anchors</h3><span>held from the start</span></header>
    <button v-for="f in anchors" :key="f.name" class="anchor" :class="{ chosen: view.selection?.name === f.name }" :style="{ color: FAMILY_COLOR.holds }" @click="view.select({ kind: 'field', name: f.name })"><Glyph name="anchor" /><b>{{ f.name }}</b><span class="figures">holds {{ survey.totals(f.name).pieces }}</span></button>
    <button class="button wide" data-testid="add-anchor" @click="add('anchor')"><Glyph name="plus" />Add an anchor</button>
  </div>
</template>

<style scoped>
.counts { margin: 8px 0; }
.counts p { display: flex; justify-content: space-between; line-height: 1.8; color: var(--soft); }
.counts b { font-weight: 500; color: var(--chalk); }
.anchor { display: flex; gap: 8px; align-items: center; width: 100%; height: 28px; border: 0; background: none; cursor: pointer; border-radius: var(--radius); padding: 0 6px; margin-bottom: 4px; }
.anchor.chosen { background: var(--basalt-3); }
.anchor b { flex: 1; text-align: left; font-weight: 600; }
.anchor span { color: var(--soft); }
</style>
