<script setup lang="ts">
import { computed } from "vue";
import type { Body } from "../api/types";
import { layoutCount } from "../lib/document";
import { fromAngles, toAngles, type Quat, type Vec } from "../lib/rotation";
import { showMass, showNumber } from "../lib/units";
import { usePieces } from "../stores/pieces";
import { useShot, type Thing } from "../stores/shot";
import { useView } from "../stores/view";
import Glyph from "./Glyph.vue";
import LayoutEditor from "./LayoutEditor.vue";
import MaterialSection from "./MaterialSection.vue";
import NameField from "./NameField.vue";
import NumberRow from "./NumberRow.vue";
import VectorField from "./VectorField.vue";

const props = defineProps<{ thing: Thing }>();
const shot = useShot();
const pieces = usePieces();
const view = useView();
const body = computed(() => props.thing.body);
const many = computed(() => (props.thing.group ? layoutCount(props.thing.group.layout) : 1));
const figures = computed(() => pieces.built.get(props.thing.name)?.figures);
const problem = computed(() => pieces.errors.get(props.thing.name));
const angles = computed(() => toAngles(body.value.place.rotation as Quat).map((a) => Number(a.toFixed(3))) as Vec);
const spin = computed(() => (body.value.spin as Vec).map((w) => Number(((w * 180) / Math.PI).toFixed(4))) as Vec);
const what = computed(() => `${props.thing.group ? "group of " : ""}${body.value.shape.kind === "asset" ? "mesh" : body.value.shape.kind} · ${body.value.role}`);

const edit = (label: string, change: (b: Body) => void): void => shot.editBody(props.thing.name, `${label} of ${props.thing.name}`, change);

function rename(name: string): void {
  shot.rename(props.thing.name, name);
  view.select({ kind: props.thing.group ? "group" : "body", name });
}

function remove(): void {
  view.select(null);
  shot.remove(props.thing.name);
}
</script>

<template>
  <div class="section head">
    <header><NameField :name="thing.name" :taken="shot.things.map((t) => t.name)" @rename="rename" /><span>{{ what }}</span></header>
    <p v-if="figures" class="figures size" data-testid="size">{{ figures.size.map((s) => showNumber(s, 3)).join(" × ") }} m<br />{{ many > 1 ? `${many} × ` : "" }}{{ showMass(figures.mass) }} · {{ figures.pieces }} {{ figures.pieces === 1 ? "piece" : "pieces" }}{{ many > 1 ? " each" : "" }}</p>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
  </div>
  <LayoutEditor v-if="thing.group" :group="thing.group" />
  <div class="section">
    <header><h3>{{ thing.group ? "Origin" : "Place" }}</h3>
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
  <MaterialSection :name="thing.name" :body="body" />
  <div v-if="body.role === 'active'" class="section">
    <header><h3>Motion</h3></header>
    <NumberRow label="gravity" unit="×" :min="-10" :max="10" :initial="1" :model-value="body.gravity" hint="its share of the shot's gravity: 0 floats, negative rises" @update:model-value="(v) => edit('gravity', (b) => (b.gravity = v))" />
    <div class="stack"><label>velocity at the start</label><VectorField label="velocity" unit="m/s" :model-value="body.velocity!" :initial="0" @update:model-value="(v) => edit('velocity', (b) => (b.velocity = v))" /></div>
    <div class="stack"><label>spin at the start</label><VectorField label="spin" unit="°/s" :model-value="spin" :initial="0" @update:model-value="(v) => edit('spin', (b) => (b.spin = v.map((x) => (x * Math.PI) / 180) as Vec))" /></div>
  </div>
  <div class="section"><button class="button wide" @click="remove">Delete {{ thing.name }}</button></div>
</template>

<style scoped>
.size { color: var(--soft); line-height: 1.6; }
.stack { margin-bottom: 6px; }
.stack label { display: block; color: var(--soft); margin-bottom: 3px; }
.mini button { height: 24px; width: 30px; display: grid; place-items: center; padding: 0; }
.head header { margin-bottom: 4px; }
</style>
