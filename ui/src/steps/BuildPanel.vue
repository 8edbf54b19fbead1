<script setup lang="ts">
import { ref } from "vue";
import { api, ApiError } from "../api/client";
import type { Body } from "../api/types";
import Glyph from "../components/Glyph.vue";
import { freeName, halfHeight, newBody, SHAPES } from "../lib/document";
import { showMass, showNumber } from "../lib/units";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import NumberField from "../components/NumberField.vue";
import VectorField from "../components/VectorField.vue";
import { computed } from "vue";

const shot = useShot();
const pieces = usePieces();
const view = useView();
const picker = ref<HTMLInputElement | null>(null);
const bringing = ref("");
const problem = ref("");
const chosen = computed(() => (view.selection?.kind === "body" ? shot.bodies.find((b) => b.name === view.selection!.name) : undefined));

function add(kind: string): void {
  const shape = SHAPES[kind]!();
  put(newBody(freeName(kind, shot.bodies.map((b) => b.name)), shape, halfHeight(shape) + (shot.document?.ground.height ?? 0)));
}

function put(body: Body): void {
  shot.edit(`add ${body.name}`, (d) => d.bodies.push(body));
  view.showing = "set-up";
  view.select({ kind: "body", name: body.name });
}

async function bringIn(files: File[]): Promise<void> {
  problem.value = "";
  for (const file of files) {
    if (file.size > 64 * 1024 * 1024) {
      problem.value = `'${file.name}' has ${(file.size / 1e6).toFixed(0)} MB; the limit is 67 MB. Decimate it before bringing it in.`;
      continue;
    }
    bringing.value = file.name;
    try {
      const asset = await api.bringIn(file);
      const plain = file.name.replace(/\.[^.]+$/, "").slice(0, 60) || "mesh";
      const body = newBody(freeName(plain, shot.bodies.map((b) => b.name)), { kind: "asset", asset: asset.asset }, 0);
      const figures = await api.build(body);
      // stand it on the ground, whatever the file's own origin
      const packed = await api.pieces(figures.key);
      let low = Infinity;
      const v = packed.vertices!;
      for (let k = 1; k < v.length; k += 3) low = Math.min(low, v[k]!);
      body.place.position = [0, Number((-low + (shot.document?.ground.height ?? 0)).toFixed(4)), 0];
      put(body);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      problem.value = error.message;
    }
  }
  bringing.value = "";
}

function editShape(change: (s: Record<string, unknown>) => void): void {
  const name = chosen.value!.name;
  shot.editBody(name, `shape of ${name}`, (b) => change(b.shape as Record<string, unknown>));
}

const FIELDS: Record<string, { key: string; label: string; unit?: string; min: number; max?: number; whole?: boolean }[]> = {
  sphere: [{ key: "radius", label: "radius", unit: "m", min: 0.0001 }, { key: "segments", label: "segments", min: 6, max: 256, whole: true }],
  cylinder: [{ key: "radius", label: "radius", unit: "m", min: 0.0001 }, { key: "height", label: "height", unit: "m", min: 0.0001 }, { key: "taper", label: "taper", min: 0.05, max: 20 }, { key: "segments", label: "segments", min: 3, max: 512, whole: true }],
  tube: [{ key: "radius", label: "radius", unit: "m", min: 0.0001 }, { key: "wall", label: "wall", unit: "m", min: 0.0001 }, { key: "height", label: "height", unit: "m", min: 0.0001 }, { key: "taper", label: "taper", min: 0.05, max: 20 }, { key: "segments", label: "segments", min: 3, max: 512, whole: true }],
};
defineExpose({ bringIn });
</script>

<template>
  <div>
  <div class="section">
    <div class="panel-head"><h2>Build</h2><span>{{ shot.bodies.length }} {{ shot.bodies.length === 1 ? "body" : "bodies" }}</span></div>
    <div class="adds">
      <button v-for="kind in Object.keys(SHAPES)" :key="kind" class="add" :data-testid="`add-${kind}`" @click="add(kind)"><Glyph :name="kind" :size="20" />{{ kind }}</button>
    </div>
    <button class="button wide" :disabled="!!bringing" @click="picker?.click()"><Glyph name="file" />{{ bringing ? `reading ${bringing}…` : "Bring in a mesh file" }}</button>
    <input ref="picker" type="file" accept=".obj,.stl,.ply,.glb,.gltf" multiple hidden data-testid="file" @change="(e) => { bringIn([...((e.target as HTMLInputElement).files ?? [])]); (e.target as HTMLInputElement).value = ''; }" />
    <p v-if="problem" class="problem" role="alert" data-testid="import-problem">{{ problem }}</p>
    <p v-else class="mute small">or drop OBJ, STL, PLY or GLB on the view</p>
  </div>
  <div v-if="shot.bodies.length" class="section list">
    <button v-for="b in shot.bodies" :key="b.name" class="item" :class="{ chosen: view.selection?.kind === 'body' && view.selection.name === b.name }" @click="view.select({ kind: 'body', name: b.name })">
      <i :style="{ background: b.material.look?.color }" /><span>{{ b.name }}</span>
      <em v-if="pieces.errors.get(b.name)" class="problem">unusable</em>
      <em v-else-if="pieces.built.get(b.name)" class="figures">{{ showMass(pieces.built.get(b.name)!.figures.mass) }}</em>
    </button>
  </div>
  <div v-if="chosen && (FIELDS[chosen.shape.kind] || chosen.shape.kind === 'box')" class="section">
    <header><h3>Shape of {{ chosen.name }}</h3><span>{{ chosen.shape.kind }}</span></header>
    <VectorField v-if="chosen.shape.kind === 'box'" label="size" unit="m" marks="whd" :min="0.0001" :model-value="chosen.shape.size!" @update:model-value="(v) => editShape((s) => (s.size = v))" />
    <div v-for="f in FIELDS[chosen.shape.kind] ?? []" :key="f.key" class="row">
      <label>{{ f.label }}</label><NumberField :label="f.label" :unit="f.unit" :min="f.min" :max="f.max" :whole="f.whole" :model-value="(chosen.shape as Record<string, unknown>)[f.key] as number" @update:model-value="(v) => editShape((s) => (s[f.key] = v))" />
    </div>
    <p v-if="pieces.built.get(chosen.name)" class="figures mute small">{{ pieces.built.get(chosen.name)!.figures.size.map((s) => showNumber(s, 3)).join(" × ") }} m, true size</p>
  </div>
  </div>
</template>

<style scoped>
.adds { display: grid; grid-template-columns: repeat(4, 1fr); gap: 4px; margin-bottom: 8px; }
.add { display: flex; flex-direction: column; align-items: center; gap: 4px; padding: 8px 0 6px; border: 1px solid var(--line); border-radius: var(--radius); background: var(--basalt-2); color: var(--soft); cursor: pointer; font-size: 11.5px; }
.add:hover { border-color: var(--accent); color: var(--chalk); }
.small { font-size: 12px; margin-top: 6px; }
.problem { margin-top: 6px; }
.list { padding: 6px 0; }
.item { display: flex; align-items: center; gap: 9px; width: 100%; height: 28px; padding: 0 14px; background: none; border: 0; cursor: pointer; text-align: left; }
.item:hover { background: var(--basalt-2); }
.item.chosen { background: var(--basalt-3); }
.item i { width: 11px; height: 11px; border-radius: 3px; flex: none; }
.item span { flex: 1; overflow: hidden; text-overflow: ellipsis; white-space: nowrap; }
.item em { font-style: normal; color: var(--mute); }
.item em.problem { color: var(--ember); margin: 0; }
</style>
