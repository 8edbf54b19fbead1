<script setup lang="ts">
/** What a body is made of: presets fill everything, every number can be changed, own ones can be saved. */
import { ElButton, ElInput } from "element-plus";
import { computed, onMounted, ref, shallowRef } from "vue";
import { keepUnderName } from "../lib/replace";
import { api, ApiError } from "../api/client";
import type { Body, Preset } from "../api/types";
import type { Channel } from "../lib/channels";
import { newBonds } from "../lib/matter";
import { DEFORMING_MATERIAL_SPECS, EYE_SPECS, MATERIAL_SPECS, setAt } from "../lib/specs";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { showNumber } from "../lib/units";
import ChoiceRow from "../controls/ChoiceRow.vue";
import NumberRow from "../controls/NumberRow.vue";
import SpecRows from "./SpecRows.vue";
import PickRow from "../controls/PickRow.vue";
import ColorField from "../controls/ColorField.vue";
import { say } from "../lib/words";

const props = defineProps<{ name: string; body: Body }>();
const emit = defineEmits<{ key: [path: string, value: number | null] }>();
const shot = useShot();
const pieces = usePieces();
const presets = shallowRef<Preset[]>([]);
const saved = shallowRef<Preset[]>([]);
const naming = ref<string | null>(null);
const problem = ref("");
const m = computed(() => props.body.material);
const figures = computed(() => pieces.built.get(props.name)?.figures);
const edit = (what: string, change: (b: Body) => void): void =>
  shot.editBody(props.name, `${what} of ${props.name}`, change);

async function load(): Promise<void> {
  try {
    const all = await api.materials();
    presets.value = all.presets;
    saved.value = all.saved;
  } catch (error) {
    if (!(error instanceof ApiError)) throw error;
    problem.value = error.message;
  }
}
onMounted(load);

function take(name: string): void {
  const preset = [...saved.value, ...presets.value].find((p) => p.name === name);
  if (!preset) return;
  edit("material", (b) => {
    b.material = { ...structuredClone(preset.material), preset: name, mass: null } as Body["material"];
    if (b.bonds && (b.matter.kind !== "cloth" || preset.bonds.unit !== "kN/m2"))
      Object.assign(b.bonds, { strength: preset.bonds.strength, unit: preset.bonds.unit });
  });
}

async function save(): Promise<void> {
  const name = naming.value?.trim();
  naming.value = null;
  if (!name) return;
  const b = props.body;
  const bonds = { ...(b.bonds ?? newBonds(b.matter.kind)), cut: [], by_reach: null };
  try {
    const preset = { name, material: { ...b.material, preset: name, mass: null }, bonds } as Preset;
    if (!(await keepUnderName((sure) => api.saveMaterial(preset, sure)))) return;
    await load();
    edit("material", (x) => (x.material.preset = name));
  } catch (error) {
    if (!(error instanceof ApiError)) throw error;
    problem.value = error.message;
  }
}

async function forget(): Promise<void> {
  await api.deleteMaterial(m.value.preset!);
  await load();
}

function by(way: "density" | "mass"): void {
  edit("density", (b) => {
    if (way === "mass") b.material.mass = Number((figures.value?.mass ?? 1000).toPrecision(4));
    else {
      b.material.density = Number((figures.value?.density ?? b.material.density!).toPrecision(4));
      b.material.mass = null;
    }
  });
}
</script>

<template>
  <div class="section">
    <header>
      <h3>Material</h3>
      <span class="links"
        ><ElButton v-if="saved.some((p) => p.name === m.preset)" link @click="forget">forget</ElButton
        ><ElButton link v-hint="'Save these values under a name'" @click="naming = m.preset || 'my material'">
          save
        </ElButton></span
      >
    </header>
    <div v-if="naming !== null" class="row">
      <label>name</label
      ><ElInput
        v-model="naming"
        size="small"
        aria-label="material name"
        @keydown.stop.enter="save"
        @keydown.stop.esc="naming = null" />
    </div>
    <PickRow
      label="made of"
      :hint="say('Material.preset')"
      id="material"
      empty="own values"
      :groups="[
        ...(saved.length ? [{ label: 'saved', options: saved.map((p) => [p.name, p.name] as const) }] : []),
        { label: 'shipped', options: presets.map((p) => [p.name, p.name] as const) },
      ]"
      :model-value="m.preset || undefined"
      @update:model-value="take" />
    <ChoiceRow
      label="given by"
      hint="mass from what a cubic metre weighs, or the whole as weighed"
      :options="
        [
          ['density', 'density'],
          ['mass', 'total mass'],
        ] as const
      "
      :model-value="m.mass ? 'mass' : 'density'"
      @update:model-value="by" />
    <NumberRow
      v-if="m.mass"
      label="total mass"
      :hint="say('Material.mass')"
      unit="kg"
      :min="0.0001"
      :max="1e9"
      :model-value="m.mass"
      @update:model-value="(v) => edit('mass', (b) => (b.material.mass = v))" />
    <NumberRow
      v-else
      label="density"
      :hint="say('Material.density')"
      unit="kg/m³"
      :min="1"
      :max="30000"
      :model-value="m.density!"
      :initial="2400"
      @update:model-value="(v) => edit('density', (b) => (b.material.density = v))" />
    <p v-if="m.mass && figures" class="figures mute follows">density {{ showNumber(figures.density, 4) }} kg/m³</p>
    <SpecRows
      :of="m as never"
      :specs="body.matter.kind === 'rigid' ? MATERIAL_SPECS : DEFORMING_MATERIAL_SPECS"
      :channels="(body.channels ?? []) as Channel[]"
      base="material."
      @change="(k, v) => edit(k, (b) => setAt(b.material, k, v))"
      @key="(path, value) => emit('key', path, value)" />
    <div class="row">
      <span class="label">colour</span
      ><ColorField
        label="colour"
        :model-value="m.look!.color!"
        @update:model-value="(c) => edit('colour', (b) => (b.material.look!.color = c))" />
    </div>
    <NumberRow
      label="opacity"
      hint="how much of what is behind it hides, in exports"
      :min="0"
      :max="1"
      :model-value="m.look!.opacity ?? 1"
      :initial="1"
      @update:model-value="(v) => edit('opacity', (b) => (b.material.look!.opacity = v))" />
    <template v-if="body.matter.kind !== 'rigid'">
      <SpecRows
        :of="m.look as never"
        :specs="EYE_SPECS[body.matter.kind]"
        @change="(k, v) => edit(k, (b) => setAt(b.material.look, k, v))" />
    </template>
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
  </div>
</template>

<style scoped>
.pick,
.name {
  height: 26px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--basalt-2);
  color: var(--chalk);
  padding: 0 6px;
  width: 100%;
}
.swatch {
  width: 100%;
  height: 26px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--basalt-2);
  padding: 2px;
  cursor: pointer;
}
.links {
  display: flex;
  gap: 10px;
}
.follows {
  text-align: right;
}
</style>
