<script setup lang="ts">
/** The view: joins the stores to the stage, and draws the compass, scale bar, labels and legend over it. */
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from "vue";
import type { Packed } from "../api/packed";
import type { Body } from "../api/types";
import { FAMILY, FAMILY_COLOR, layerOf } from "../lib/document";
import { hexColor, pieceColor, ramp, RAMP_CSS, steady, type Rgb } from "../lib/ramp";
import { multiply, turn, type Quat, type Vec } from "../lib/rotation";
import { showMass } from "../lib/units";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import { Stage, type Moved } from "../viewport/Stage";
import Glyph from "./Glyph.vue";

const emit = defineEmits<{ files: [files: File[]] }>();
const shot = useShot();
const pieces = usePieces();
const survey = useSurvey();
const takes = useTakes();
const view = useView();
const host = ref<HTMLElement | null>(null);
const stage = shallowRef<Stage | null>(null);
const azimuth = ref(0);
const scale = ref({ pixels: 80, text: "1 m" });
const dropping = ref(false);
const labels = ref<{ name: string; text: string; x: number; y: number; color: string; chosen: boolean }[]>([]);
const card = ref<{ x: number; y: number; lines: string[] } | null>(null);

const inTake = computed(() => view.showing === "take" && takes.frames !== null && takes.document !== null);
const shownBodies = computed<Body[]>(() => (inTake.value ? (takes.document!.bodies as Body[]) : shot.bodies));
const takePacked = shallowRef<Map<string, Packed>>(new Map());
let framedFor = "";
let laid = "";

watch(
  () => takes.document,
  async (document) => {
    if (!document) return;
    const map = new Map<string, Packed>();
    for (const body of document.bodies as Body[]) map.set(body.name, (await pieces.ofBody(body)).packed);
    if (takes.document === document) takePacked.value = map;
  },
);

function packedOf(name: string): Packed | undefined {
  return inTake.value ? takePacked.value.get(name) : pieces.packedOf(name);
}

/** Lay out geometry anew if the set of bodies or their pieces changed; true if it did. */
function layOut(): boolean {
  const s = stage.value;
  if (!s) return false;
  const have = shownBodies.value.map((b) => ({ name: b.name, packed: packedOf(b.name) })).filter((b): b is { name: string; packed: Packed } => !!b.packed);
  const mark = have.map((b) => `${b.name}:${b.packed.vertices!.length}:${idOf(b.packed)}`).join("|");
  if (mark === laid) return false;
  laid = mark;
  s.batch.setBodies(have);
  return true;
}

const ids = new WeakMap<object, number>();
let nextId = 0;
function idOf(thing: object): number {
  if (!ids.has(thing)) ids.set(thing, nextId++);
  return ids.get(thing)!;
}

function paint(): void {
  const s = stage.value;
  if (!s) return;
  const fresh = layOut();
  const batch = s.batch;
  const byName = new Map(shownBodies.value.map((b) => [b.name, b]));
  const frames = inTake.value ? takes.frames : null;
  const usable = frames && frames.pieces === batch.count ? frames : null;
  const f = usable ? Math.min(view.frame, usable.count - 1) : 0;
  const reach = view.colorBy === "reach" && view.selection?.kind === "field" ? survey.result?.values[view.selection.name] : undefined;
  batch.names.forEach((name, b) => {
    const body = byName.get(name);
    if (!body) return;
    const place = body.place;
    const q0 = place.rotation as Quat;
    const base = hexColor(body.material.look?.color ?? "#b4b1a4");
    const first = batch.first[b]!;
    const end = batch.first[b + 1]!;
    const middle: Vec = [0, 0, 0];
    let total = 0;
    for (let p = first; p < end; p++) {
      total += batch.volume[p]!;
      for (let k = 0; k < 3; k++) middle[k]! += batch.center[p * 3 + k]! * batch.volume[p]!;
    }
    for (let k = 0; k < 3; k++) middle[k]! /= total || 1;
    const many = end - first > 1;
    const chosenBody = view.selection?.kind === "body" && view.selection.name === name;
    for (let p = first; p < end; p++) {
      let state = 2;
      if (usable) {
        const at = f * usable.pieces + p;
        const q = multiply([usable.orientation[at * 4]!, usable.orientation[at * 4 + 1]!, usable.orientation[at * 4 + 2]!, usable.orientation[at * 4 + 3]!], q0);
        state = usable.state[at]!;
        batch.setTransform(p, usable.position[at * 3]!, usable.position[at * 3 + 1]!, usable.position[at * 3 + 2]!, q, 0, state);
      } else {
        const c: Vec = [batch.center[p * 3]!, batch.center[p * 3 + 1]!, batch.center[p * 3 + 2]!];
        if (many && view.explode > 0) for (let k = 0; k < 3; k++) c[k]! += (c[k]! - middle[k]!) * view.explode;
        const w = turn(q0, c);
        const field = heldBy(name, p - first, first);
        state = field && body.role === "active" ? 0 : 2;
        batch.setTransform(p, w[0] + place.position![0]!, w[1] + place.position![1]!, w[2] + place.position![2]!, q0, 0, state);
      }
      let color: Rgb = base;
      if (view.colorBy === "piece" && many) color = pieceColor(p - first);
      else if (view.colorBy === "state") color = body.role === "passive" ? [base[0] * 0.6, base[1] * 0.6, base[2] * 0.6] : STATE_COLORS[state]!;
      else if (reach && reach[p] !== undefined) color = reach[p]! > 0 ? ramp(reach[p]!) : [base[0] * 0.55, base[1] * 0.55, base[2] * 0.55];
      else if (many) {
        const d = 0.93 + 0.12 * steady(p - first, 5);
        color = [base[0] * d, base[1] * d, base[2] * d];
      }
      const chosenPiece = view.piece?.body === name && view.piece.index === p - first;
      batch.setColor(p, color[0], color[1], color[2], view.piece ? chosenPiece : chosenBody && view.step !== "break");
    }
  });
  batch.changed();
  if (fresh) fitOnce();
  s.invalidate();
}

const STATE_COLORS: Rgb[] = [[0.66, 0.77, 0.42], [0.5, 0.58, 0.6], [0.91, 0.93, 0.9], [0.71, 0.61, 0.82], [0.3, 0.3, 0.3]];

/** Is a piece held by an anchor, as far as the survey knows? */
function heldBy(_body: string, _local: number, first: number): boolean {
  const values = survey.result?.values;
  if (!values) return false;
  const p = first + _local;
  return shot.fields.some((f) => f.on && f.effect.kind === "anchor" && (f.targets === "all" || f.targets!.includes(_body)) && (values[f.name]?.[p] ?? 0) >= (f.effect.cut ?? 0.5));
}

function bounds(): { lo: Vec; hi: Vec } | null {
  const lo: Vec = [Infinity, Infinity, Infinity];
  const hi: Vec = [-Infinity, -Infinity, -Infinity];
  for (const body of shownBodies.value) {
    const packed = packedOf(body.name);
    if (!packed) continue;
    const v = packed.vertices as Float32Array;
    const step = Math.max(1, Math.floor(v.length / 3 / 4000));
    for (let k = 0; k < v.length / 3; k += step) {
      const w = turn(body.place.rotation as Quat, [v[k * 3]!, v[k * 3 + 1]!, v[k * 3 + 2]!]);
      for (let c = 0; c < 3; c++) {
        const x = w[c]! + body.place.position![c]!;
        lo[c] = Math.min(lo[c]!, x);
        hi[c] = Math.max(hi[c]!, x);
      }
    }
  }
  return Number.isFinite(lo[0]) ? { lo, hi } : null;
}

/** Bring everything into view and size the ground to it. */
function fit(smooth: boolean): void {
  const box = bounds();
  const s = stage.value;
  if (!s) return;
  const ground = shot.document?.ground;
  const size = box ? Math.hypot(box.hi[0] - box.lo[0], box.hi[1] - box.lo[1], box.hi[2] - box.lo[2]) : 6;
  s.setGround(ground?.on ?? true, ground?.height ?? 0, Math.max(0.02, size * 3.2));
  if (box) {
    const lo = [...box.lo];
    if (ground?.on ?? true) lo[1] = Math.max(lo[1]!, ground?.height ?? 0); // what is under the ground is not looked at
    s.frame(lo, box.hi, smooth);
  }
}

function fitOnce(): void {
  if (framedFor === shot.id && stage.value) return;
  if (!shownBodies.value.length || !shownBodies.value.every((b) => packedOf(b.name) || pieces.errors.has(b.name)) || !bounds()) return;
  framedFor = shot.id;
  fit(false);
}

function showFields(): void {
  const on = !inTake.value && (view.step === "drive" || view.step === "bind");
  const fields = view.step === "bind" ? shot.fields.filter((f) => f.effect.kind === "anchor") : shot.fields;
  const chosen = view.selection?.kind === "field" ? view.selection.name : null;
  const also = !inTake.value && chosen && !on;
  stage.value?.setFields(also ? shot.fields.filter((f) => f.name === chosen) : fields, chosen, (f) => FAMILY_COLOR[FAMILY[f.effect.kind]], !!(on || also));
  stage.value?.showHeld(!inTake.value && (view.step === "drive" || view.step === "bind"));
  stage.value?.applyTheme();
  placeHandles();
  placeLabels();
}

function placeHandles(): void {
  const mode = view.handle === "move" ? "translate" : view.handle === "turn" ? "rotate" : "scale";
  const chosen = view.selection;
  if (!stage.value) return;
  if (inTake.value || !chosen || view.step === "run" || view.step === "export") return stage.value.setHandles(null, mode);
  if (chosen.kind === "body") {
    const body = shot.bodies.find((b) => b.name === chosen.name);
    return stage.value.setHandles(body ? (body.place as Moved) : null, mode);
  }
  const field = shot.fields.find((f) => f.name === chosen.name);
  if (!field) return stage.value.setHandles(null, mode);
  const shape = layerOf(field).shape;
  stage.value.setHandles({ position: shape.center as Vec, rotation: (shape.kind === "box" ? shape.rotation : [0, 0, 0, 1]) as Quat, scale: [1, 1, 1] }, mode === "scale" ? "translate" : mode);
}

const tidy = (x: number): number => Number(x.toFixed(4));

function onMove(moved: Moved, done: boolean): void {
  const chosen = view.selection;
  if (!chosen) return;
  if (chosen.kind === "body") {
    shot.editBody(chosen.name, `${view.handle} ${chosen.name}`, (b) => {
      b.place = { position: moved.position.map(tidy) as Vec, rotation: moved.rotation, scale: moved.scale.map(tidy) as Vec };
    });
  } else {
    shot.editField(chosen.name, `${view.handle} ${chosen.name}`, (f) => {
      const shape = layerOf(f).shape;
      shape.center = moved.position.map(tidy) as Vec;
      if (shape.kind === "box") shape.rotation = moved.rotation;
      if (shape.kind === "plane" && view.handle === "turn") shape.normal = turn(moved.rotation, [0, 1, 0]);
    });
  }
  if (done) void shot.flush();
}

function onPick(piece: number): void {
  const s = stage.value!;
  if (piece < 0) return view.select(null);
  const b = s.batch.bodyOf(piece);
  const name = s.batch.names[b]!;
  view.select({ kind: "body", name });
  const count = s.batch.first[b + 1]! - s.batch.first[b]!;
  view.piece = count > 1 ? { body: name, index: piece - s.batch.first[b]! } : null;
}

function placeLabels(): void {
  const s = stage.value;
  if (!s) return;
  const on = !inTake.value && view.step === "drive";
  labels.value = !on
    ? []
    : shot.fields.filter((f) => f.on).flatMap((f) => {
        const shape = layerOf(f).shape;
        const c = shape.center as Vec;
        const up = shape.kind === "sphere" ? (shape.core ?? 1) + (shape.edge ?? 0) : shape.kind === "box" ? (shape.core as Vec)[1] / 2 + (shape.edge ?? 0) : 0.4;
        const at = s.project(c[0], c[1] + up, c[2]);
        const t = survey.totals(f.name);
        const text = f.effect.kind === "anchor" ? `holds ${t.pieces}` : f.effect.kind === "strain" ? `breaks ${t.breaks} of ${t.bonds}` : `reaches ${t.pieces}`;
        return at ? [{ name: f.name, text, x: at.x, y: at.y - 8, color: FAMILY_COLOR[FAMILY[f.effect.kind]], chosen: view.selection?.name === f.name }] : [];
      });
  placeCard();
}

function placeCard(): void {
  const s = stage.value;
  const chosen = view.piece;
  const b = chosen && s ? s.batch.names.indexOf(chosen.body) : -1;
  if (!chosen || !s || b < 0) {
    card.value = null;
    return;
  }
  const p = s.batch.first[b]! + chosen.index;
  const v = s.batch.values;
  const at = s.project(v[p * 12]!, v[p * 12 + 1]!, v[p * 12 + 2]!);
  const body = shownBodies.value.find((x) => x.name === chosen.body);
  const packed = packedOf(chosen.body);
  if (!at || !body || !packed) {
    card.value = null;
    return;
  }
  const mass = s.batch.volume[p]! * body.material.density!;
  const own: number[] = [];
  for (let k = 0; k < packed.bond_area!.length; k++) if (packed.bond_piece![k * 2] === chosen.index || packed.bond_piece![k * 2 + 1] === chosen.index) own.push(packed.bond_area![k]!);
  const lines = [`piece ${chosen.index} · ${showMass(mass)}`];
  if (body.bonds && own.length) {
    const strength = own.reduce((sum, a) => sum + body.bonds!.strength! * (body.bonds!.unit === "kN" ? 1 : a), 0);
    lines.push(`${own.length} bonds · ${strength.toFixed(0)} kN in all`);
  } else lines.push("no bonds");
  if (inTake.value) {
    lines.push(takes.stateNames[v[p * 12 + 3]!] ?? "");
    const broke = takes.events.filter((e) => e.kind === "bond_broken" && e.frame <= view.frame && (e.pieces?.[0] === p || e.pieces?.[1] === p));
    const last = broke.at(-1);
    if (last) {
      const why = last.causes?.[0];
      lines.push(`${last.load!.toFixed(0)} kN of ${last.strength!.toFixed(0)} · ${why?.field ?? (why?.impact === chosen.body ? "hit by its own pieces" : `hit by ${why?.impact}`)} at f ${last.frame}`);
    }
  }
  card.value = { x: at.x, y: at.y, lines };
}

function onCamera(angle: number, metresPerPixel: number): void {
  azimuth.value = angle;
  const wish = metresPerPixel * 110;
  const power = 10 ** Math.floor(Math.log10(wish));
  const nice = [1, 2, 5, 10].map((k) => k * power).filter((d) => d <= wish).at(-1) ?? power;
  scale.value = { pixels: nice / metresPerPixel, text: nice >= 1 ? `${nice} m` : nice >= 0.01 ? `${Number((nice * 100).toPrecision(2))} cm` : `${Number((nice * 1000).toPrecision(2))} mm` };
  placeLabels();
}

function onDrop(event: DragEvent): void {
  dropping.value = false;
  emit("files", [...(event.dataTransfer?.files ?? [])]);
}

onMounted(() => {
  stage.value = new Stage(host.value!, { onPick, onMove, onCamera });
  stage.value.applyTheme();
  fit(false);
  paint();
  showFields();
});
onBeforeUnmount(() => stage.value?.dispose());

watch([() => pieces.version, () => shot.document, () => survey.result, () => view.explode, () => view.colorBy, () => view.selection, () => view.piece, () => view.step, takePacked, inTake], () => {
  paint();
  showFields();
});
watch([() => view.frame, () => takes.frames?.count], () => {
  if (inTake.value) {
    paint();
    placeCard();
  }
});
watch([() => view.handle], placeHandles);
watch([() => view.theme, () => shot.document?.ground], () => {
  stage.value?.applyTheme();
  showFields();
});
defineExpose({ fit: () => fit(true) });
</script>

<template>
  <div class="view" :class="{ dropping }" @dragover.prevent="dropping = true" @dragleave="dropping = false" @drop.prevent="onDrop">
    <div ref="host" class="host" data-testid="view" />
    <div class="legend" v-if="view.colorBy === 'reach' || view.colorBy === 'state'">
      <template v-if="view.colorBy === 'reach'">
        <span>{{ view.selection?.kind === "field" ? `reach of ${view.selection.name}` : "pick a field to see its reach" }}</span>
        <i :style="{ background: RAMP_CSS }" /><b class="figures"><span>0</span><span>1</span></b>
      </template>
      <span v-else class="states"><em v-for="(name, k) in ['held', 'resting', 'moving']" :key="name"><i class="dot" :style="{ background: `rgb(${STATE_COLORS[k]!.map((c) => c * 255).join(' ')})` }" />{{ name }}</em></span>
    </div>
    <div v-for="l in labels" :key="l.name" class="tag" :class="{ chosen: l.chosen }" :style="{ left: `${l.x}px`, top: `${l.y}px`, color: l.color }">{{ l.name }} <span>{{ l.text }}</span></div>
    <div v-if="card" class="card figures" :style="{ left: `${card.x}px`, top: `${card.y}px` }"><p v-for="line in card.lines" :key="line">{{ line }}</p></div>
    <div class="corner">
      <svg width="44" height="44" viewBox="-22 -22 44 44" aria-label="compass: the needle points to minus z">
        <circle r="20" class="rose" />
        <g :transform="`rotate(${(azimuth * 180) / Math.PI})`"><path d="M0 -16L4.500 0H-4.500Z" class="needle" /><path d="M0 16L4.500 0H-4.500Z" class="tail" /></g>
      </svg>
      <div class="bar"><span class="figures">{{ scale.text }}</span><i :style="{ width: `${scale.pixels}px` }" /></div>
      <button class="button plain" title="Bring everything into view (0)" @click="fit(true)"><Glyph name="fit" /></button>
    </div>
    <div v-if="pieces.busy" class="busy">breaking…</div>
    <div v-if="dropping" class="dropnote">Drop OBJ, STL, PLY or GLB</div>
    <slot />
  </div>
</template>

<style scoped>
.view { position: relative; overflow: hidden; background: radial-gradient(120% 90% at 50% 20%, var(--view-top), var(--view-bottom)); min-width: 0; min-height: 0; }
.host { position: absolute; inset: 0; }
.host :deep(canvas) { display: block; outline: none; touch-action: none; }
.legend { position: absolute; right: 14px; top: 12px; width: 160px; font-size: 11.5px; color: var(--soft); text-align: right; pointer-events: none; }
.legend > i { display: block; height: 8px; border-radius: 4px; margin: 4px 0 2px; }
.legend b { display: flex; justify-content: space-between; font-weight: 400; }
.states { display: flex; flex-direction: column; gap: 2px; align-items: flex-end; }
.states em { font-style: normal; display: flex; gap: 6px; align-items: center; }
.dot { width: 9px; height: 9px; border-radius: 50%; display: inline-block; }
.tag { background: color-mix(in srgb, var(--basalt-0) 72%, transparent); border-radius: 10px; padding: 1px 8px; position: absolute; transform: translate(-50%, -100%); font-weight: 600; font-size: 12px; pointer-events: none; white-space: nowrap; text-shadow: 0 1px 3px var(--basalt-0), 0 0 2px var(--basalt-0); }
.tag span { font-weight: 400; }
.tag:not(.chosen) { opacity: 0.8; }
.card { position: absolute; transform: translate(14px, calc(-100% - 10px)); background: var(--basalt-0); border: 1px solid var(--line-strong); border-radius: var(--radius); padding: 5px 9px; pointer-events: none; white-space: nowrap; }
.corner { position: absolute; left: 14px; bottom: 10px; display: flex; align-items: flex-end; gap: 14px; color: var(--soft); pointer-events: none; }
.corner button { pointer-events: auto; color: var(--soft); }
.rose { fill: none; stroke: var(--line-strong); }
.needle { fill: var(--accent); }
.tail { fill: var(--mute); opacity: 0.5; }
.bar { display: flex; flex-direction: column; align-items: center; padding-bottom: 6px; }
.bar i { height: 5px; border: solid var(--soft); border-width: 0 1px 1px; }
.busy { position: absolute; left: 50%; top: 14px; transform: translateX(-50%); background: var(--basalt-2); border: 1px solid var(--line-strong); padding: 3px 12px; border-radius: 20px; color: var(--soft); }
.dropping { outline: 2px dashed var(--accent); outline-offset: -8px; }
.dropnote { position: absolute; inset: 0; display: grid; place-items: center; font-size: 18px; color: var(--accent); pointer-events: none; }
</style>
