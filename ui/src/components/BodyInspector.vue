<script setup lang="ts">
import { computed } from "vue";
import type { Body } from "../api/types";
import { fromAngles, toAngles, type Quat, type Vec } from "../lib/rotation";
import { showMass, showNumber } from "../lib/units";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import Glyph from "./Glyph.vue";
import NameField from "./NameField.vue";
import NumberField from "./NumberField.vue";
import VectorField from "./VectorField.vue";

const props = defineProps<{ body: Body }>();
const shot = useShot();
const pieces = usePieces();
const view = useView();
const figures = computed(() => pieces.built.get(props.body.name)?.figures);
const problem = computed(() => pieces.errors.get(props.body.name));
const angles = computed(() => toAngles(props.body.place.rotation as Quat).map((a) => Number(a.toFixed(3))) as Vec);
const spin = computed(() => (props.body.spin as Vec).map((w) => (w * 180) / Math.PI) as Vec);

const edit = (what: string, change: (b: Body) => void): void => shot.editBody(props.body.name, `${what} of ${props.body.name}`, change);

function rename(name: string): void {
  const old = props.body.name;
  shot.edit(`rename ${old}`, (d) => {
    d.bodies.find((b) => b.name === old)!.name = name;
    for (const f of d.fields) if (Array.isArray(f.targets)) f.targets = f.targets.map((t) => (t === old ? name : t));
  });
  view.select({ kind: "body", name });
}

function remove(): void {
  const name = props.body.name;
  view.select(null);
  shot.edit(`delete ${name}`, (d) => {
    d.bodies = d.bodies.filter((b) => b.name !== name);
    for (const f of d.fields) if (Array.isArray(f.targets)) f.targets = f.targets.filter((t) => t !== name);
  });
}
</script>

<template>
  <div class="section head">
    <header><NameField :name="body.name" :taken="shot.bodies.map((b) => b.name)" @rename="rename" /><span>{{ body.shape.kind === "asset" ? "mesh" : body.shape.kind }} · {{ body.role }}</span></header>
    <p v-if="figures" class="figures size" data-testid="size">{{ figures.size.map((s) => showNumber(s, 3)).join(" × ") }} m<br />{{ showMass(figures.mass) }} · {{ figures.pieces }} {{ figures.pieces === 1 ? "piece" : "pieces" }}</p>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
  </div>
  <div class="section">
    <header><h3>Place</h3>
      <span class="choices mini" role="group" aria-label="Handles in the view">
        <button v-for="h in ['move', 'turn', 'scale'] as const" :key="h" :aria-pressed="view.handle === h" :title="`${h} in the view (${{ move: 'M', turn: 'T', scale: 'K' }[h]})`" @click="view.handle = h"><Glyph :name="h" :size="14" /></button>
      </span>
    </header>
    <div class="stack"><label>position</label><VectorField label="position" unit="m" :model-value="body.place.position!" :initial="0" @update:model-value="(v) => edit('place', (b) => (b.place.position = v))" /></div>
    <div class="stack"><label>rotation</label><VectorField label="rotation" unit="°" :model-value="angles" :initial="0" @update:model-value="(v) => edit('rotation', (b) => (b.place.rotation = fromAngles(v)))" /></div>
    <div class="stack"><label>scale</label><VectorField label="scale" :model-value="body.place.scale!" :min="0.0001" :initial="1" @update:model-value="(v) => edit('scale', (b) => (b.place.scale = v))" /></div>
  </div>
  <div class="section">
    <header><h3>Role</h3></header>
    <div class="choices"><button v-for="r in ['active', 'passive'] as const" :key="r" :aria-pressed="body.role === r" :title="r === 'active' ? 'moved by physics' : 'only collided with'" @click="edit('role', (b) => (b.role = r))">{{ r }}</button></div>
  </div>
  <div class="section">
    <header><h3>Material</h3></header>
    <div class="row"><label>density</label><NumberField label="density" unit="kg/m³" :min="1" :max="30000" :model-value="body.material.density!" :initial="2400" @update:model-value="(v) => edit('density', (b) => (b.material.density = v))" /></div>
    <div class="row"><label>friction</label><NumberField label="friction" :min="0" :max="5" :model-value="body.material.friction!" :initial="0.6" @update:model-value="(v) => edit('friction', (b) => (b.material.friction = v))" /></div>
    <div class="row"><label>bounce</label><NumberField label="bounce" :min="0" :max="1" :model-value="body.material.bounce!" :initial="0.1" @update:model-value="(v) => edit('bounce', (b) => (b.material.bounce = v))" /></div>
    <div class="row"><label>colour</label><input type="color" class="swatch" aria-label="colour" :value="body.material.look!.color" @change="(e) => edit('colour', (b) => (b.material.look!.color = (e.target as HTMLInputElement).value))" /></div>
  </div>
  <div v-if="body.role === 'active'" class="section">
    <header><h3>At the start</h3></header>
    <div class="stack"><label>velocity</label><VectorField label="velocity" unit="m/s" :model-value="body.velocity!" :initial="0" @update:model-value="(v) => edit('velocity', (b) => (b.velocity = v))" /></div>
    <div class="stack"><label>spin</label><VectorField label="spin" unit="°/s" :model-value="spin" :initial="0" @update:model-value="(v) => edit('spin', (b) => (b.spin = v.map((x) => (x * Math.PI) / 180) as Vec))" /></div>
  </div>
  <div class="section"><button class="button wide" @click="remove">Delete {{ body.name }}</button></div>
</template>

<style scoped>
.size { color: var(--soft); line-height: 1.6; }
.stack { margin-bottom: 6px; }
.stack label { display: block; color: var(--soft); margin-bottom: 3px; }
.mini button { height: 24px; width: 30px; display: grid; place-items: center; padding: 0; }
.swatch { width: 100%; height: 26px; border: 1px solid var(--line); border-radius: var(--radius); background: var(--basalt-2); padding: 2px; cursor: pointer; }
.head header { margin-bottom: 4px; }
</style>
