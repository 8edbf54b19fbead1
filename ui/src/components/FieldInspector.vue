<script setup lang="ts">
import { computed } from "vue";
import type { FieldItem, Layer, ReachShape } from "../api/types";
import { FAMILY, FAMILY_COLOR, layerOf } from "../lib/document";
import { fromAngles, toAngles, type Quat, type Vec } from "../lib/rotation";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useView } from "../stores/view";
import Glyph from "./Glyph.vue";
import LoadBars from "./LoadBars.vue";
import NameField from "./NameField.vue";
import NumberField from "./NumberField.vue";
import ProfilePlot from "./ProfilePlot.vue";
import VectorField from "./VectorField.vue";

const props = defineProps<{ field: FieldItem }>();
const shot = useShot();
const survey = useSurvey();
const view = useView();
const WORDS = { anchor: "anchor · holds from the start", strain: "strain · one blow", burst: "burst · one blow" };
const color = computed(() => FAMILY_COLOR[FAMILY[props.field.effect.kind]]);
const layer = computed<Layer>(() => layerOf(props.field));
const shape = computed<ReachShape>(() => layer.value.shape);
const totals = computed(() => survey.totals(props.field.name));
const fps = computed(() => shot.document?.timing.fps ?? 24);

const edit = (what: string, change: (f: FieldItem) => void): void => shot.editField(props.field.name, `${what} of ${props.field.name}`, change);
const editShape = (what: string, change: (s: Record<string, unknown>) => void): void => edit(what, (f) => change(layerOf(f).shape as Record<string, unknown>));

function setKind(kind: ReachShape["kind"]): void {
  if (kind === shape.value.kind) return;
  const center = shape.value.center as Vec;
  const old = shape.value;
  const size = old.kind === "sphere" ? (old.core ?? 1) : old.kind === "box" ? Math.min(...(old.core as number[])) / 2 : 1;
  const next: Record<ReachShape["kind"], ReachShape> = {
    sphere: { kind: "sphere", center, core: size, edge: old.edge ?? 1 },
    box: { kind: "box", center, rotation: [0, 0, 0, 1], core: [size * 2, size * 2, size * 2], edge: old.edge ?? 0 },
    plane: { kind: "plane", center, normal: [0, 1, 0], edge: old.edge ?? 1 },
  };
  edit("reach", (f) => (layerOf(f).shape = next[kind]));
}

function rename(name: string): void {
  const old = props.field.name;
  shot.edit(`rename ${old}`, (d) => (d.fields.find((f) => f.name === old)!.name = name));
  view.select({ kind: "field", name });
}

function remove(): void {
  const name = props.field.name;
  view.select(null);
  shot.edit(`delete ${name}`, (d) => (d.fields = d.fields.filter((f) => f.name !== name)));
}

const angles = computed(() => (shape.value.kind === "box" ? (toAngles(shape.value.rotation as Quat).map((a) => Number(a.toFixed(3))) as Vec) : ([0, 0, 0] as Vec)));
</script>

<template>
  <div class="section">
    <header>
      <span class="title" :style="{ color }"><Glyph :name="field.effect.kind" /><NameField :name="field.name" :taken="shot.fields.map((f) => f.name)" @rename="rename" /></span><span>{{ WORDS[field.effect.kind] }}</span>
    </header>
    <p class="figures" :class="totals.pieces ? 'mute' : 'note'" data-testid="reach-count">
      {{ field.effect.kind === "anchor" ? "holds" : "reaches" }} {{ totals.pieces }} of {{ totals.of }} pieces<template v-if="field.effect.kind === 'strain'"> · {{ totals.bonds }} bonds</template>
    </p>
    <div class="row"><span class="label">acts</span><div class="choices"><button :aria-pressed="field.on" @click="edit('switch', (f) => (f.on = true))">on</button><button :aria-pressed="!field.on" @click="edit('switch', (f) => (f.on = false))">off</button></div></div>
  </div>
  <div v-if="field.effect.kind === 'strain'" class="section">
    <header><h3>Load against strength</h3></header>
    <LoadBars :load="totals.load" :low="totals.low" :high="totals.high" :breaks="totals.breaks" :bonds="totals.bonds" />
    <div class="row"><label>load</label><NumberField label="load" unit="kN" :min="0" :max="1e6" :model-value="field.effect.load!" :initial="500" @update:model-value="(v) => edit('load', (f) => f.effect.kind === 'strain' && (f.effect.load = v))" /></div>
    <div class="row"><label>burst with it</label><NumberField label="burst" unit="m/s" :min="-200" :max="200" :model-value="field.effect.burst!" :initial="0" @update:model-value="(v) => edit('burst', (f) => f.effect.kind === 'strain' && (f.effect.burst = v))" /></div>
  </div>
  <div v-if="field.effect.kind === 'burst'" class="section">
    <header><h3>Burst</h3></header>
    <div class="row"><label>speed</label><NumberField label="speed" unit="m/s" :min="-200" :max="200" :model-value="field.effect.speed!" :initial="5" @update:model-value="(v) => edit('speed', (f) => f.effect.kind === 'burst' && (f.effect.speed = v))" /></div>
  </div>
  <div class="section">
    <header><h3>Reach</h3><span>{{ shape.kind }}</span></header>
    <ProfilePlot :layer="layer" :color="color" />
    <div class="choices shapes"><button v-for="k in ['sphere', 'box', 'plane'] as const" :key="k" :aria-pressed="shape.kind === k" @click="setKind(k)">{{ k }}</button></div>
    <div class="stack"><label>centre</label><VectorField label="centre" unit="m" :model-value="shape.center!" @update:model-value="(v) => editShape('centre', (s) => (s.center = v))" /></div>
    <div v-if="shape.kind === 'sphere'" class="row"><label>core radius</label><NumberField label="core" unit="m" :min="0" :model-value="shape.core!" @update:model-value="(v) => editShape('core', (s) => (s.core = v))" /></div>
    <template v-if="shape.kind === 'box'">
      <div class="stack"><label>core size</label><VectorField label="core" unit="m" :min="0.0001" :model-value="shape.core!" @update:model-value="(v) => editShape('core', (s) => (s.core = v))" /></div>
      <div class="stack"><label>rotation</label><VectorField label="rotation" unit="°" :model-value="angles" :initial="0" @update:model-value="(v) => editShape('rotation', (s) => (s.rotation = fromAngles(v)))" /></div>
    </template>
    <div v-if="shape.kind === 'plane'" class="stack"><label>normal</label><VectorField label="normal" :model-value="shape.normal!" @update:model-value="(v) => editShape('normal', (s) => (s.normal = v.some((x) => x !== 0) ? v : [0, 1, 0]))" /></div>
    <div class="row"><label>edge width</label><NumberField label="edge" unit="m" :min="0" :model-value="shape.edge!" @update:model-value="(v) => editShape('edge', (s) => (s.edge = v))" /></div>
    <div class="stack"><label>profile</label>
      <div class="choices"><button v-for="p in ['linear', 'smooth', 'sharp', 'round'] as const" :key="p" :aria-pressed="layer.profile === p" @click="edit('profile', (f) => (layerOf(f).profile = p))">{{ p }}</button></div>
    </div>
    <div class="row"><span class="label">inside out</span><div class="choices"><button :aria-pressed="!layer.invert" @click="edit('invert', (f) => (layerOf(f).invert = false))">no</button><button :aria-pressed="layer.invert" @click="edit('invert', (f) => (layerOf(f).invert = true))">yes</button></div></div>
  </div>
  <div v-if="field.effect.kind === 'anchor'" class="section">
    <header><h3>Hold</h3></header>
    <div class="row"><label>held from</label><NumberField label="cut" :min="0.01" :max="1" :model-value="field.effect.cut!" :initial="0.5" @update:model-value="(v) => edit('cut', (f) => f.effect.kind === 'anchor' && (f.effect.cut = v))" /></div>
    <div class="row"><label>reinforce</label><NumberField label="reinforce" :min="0" :max="1000" :model-value="field.effect.reinforce!" :initial="4" @update:model-value="(v) => edit('reinforce', (f) => f.effect.kind === 'anchor' && (f.effect.reinforce = v))" /></div>
    <p class="mute small">Pieces where the reach is at least “held from” are fixed. Bonds in the softer rest are 1 + reinforce × reach times as strong.</p>
  </div>
  <div v-else class="section">
    <header><h3>When</h3><span class="figures">f {{ Math.round((field.cue.time ?? 0) * fps) }}</span></header>
    <div class="row"><label>at</label><NumberField label="time" unit="s" :min="0" :max="1e5" :step="0.01" :model-value="field.cue.time!" :initial="1" @update:model-value="(v) => edit('cue', (f) => (f.cue.time = v))" /></div>
  </div>
  <div class="section"><button class="button wide" @click="remove">Delete {{ field.name }}</button></div>
</template>

<style scoped>
.title { display: flex; gap: 7px; align-items: center; min-width: 0; }
.title :deep(.name) { font-size: 13.5px; }
.section header .title { color: inherit; font-size: 13.5px; }
.stack { margin: 6px 0; }
.stack label { display: block; color: var(--soft); margin-bottom: 3px; }
.choices.shapes { margin-bottom: 4px; }
.choices button { font-size: 12px; padding: 0 3px; }
.small { font-size: 12px; margin-top: 4px; }
</style>
