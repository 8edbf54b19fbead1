<script setup lang="ts">
/** The settings of one pattern. */
import { ElButton } from "element-plus";
import { computed } from "vue";
import type { FieldItem, Pattern, StepPattern } from "../api/types";
import { newPattern } from "../lib/document";
import type { Vec } from "../lib/rotation";
import ChoiceRow from "../controls/ChoiceRow.vue";
import NumberRow from "../controls/NumberRow.vue";
import ReachEditor from "./ReachEditor.vue";
import VectorField from "../controls/VectorField.vue";
import DirectionField from "../controls/DirectionField.vue";
import { say } from "../lib/words";

type Any = Pattern | StepPattern;
const props = defineProps<{ modelValue: Any; kinds: readonly Any["kind"][]; size: readonly number[] }>();
const emit = defineEmits<{ "update:modelValue": [value: Any, what: string] }>();
const p = computed(() => props.modelValue as Record<string, unknown> & { kind: Any["kind"]; seed?: number });
const options = computed(() => props.kinds.map((k) => [k, k] as const));
const NUMBERS: Record<
  string,
  {
    key: string;
    label: string;
    unit?: string;
    min: number;
    max?: number;
    whole?: boolean;
    initial: number;
    angle?: boolean;
    hint?: string;
  }[]
> = {
  cells: [
    {
      key: "even",
      label: "evenness",
      min: 0,
      max: 1,
      initial: 0,
      hint: "0: seeds fall where they fall; 1: cells of about one size",
    },
  ],
  splinters: [{ key: "stretch", label: "stretch", min: 1, max: 100, initial: 8, hint: "length over width" }],
  radial: [
    { key: "rings", label: "rings", min: 1, max: 60, whole: true, initial: 6 },
    { key: "spokes", label: "spokes", min: 3, max: 120, whole: true, initial: 12 },
    { key: "radius", label: "radius", unit: "m", min: 0.0001, initial: 1 },
    {
      key: "growth",
      label: "growth",
      min: 1,
      max: 4,
      initial: 1.4,
      hint: "each ring is so many times as wide as the one inside it",
    },
    { key: "random", label: "randomness", min: 0, max: 1, initial: 0.3 },
  ],
  slabs: [
    { key: "count", label: "count", min: 2, max: 500, whole: true, initial: 8 },
    {
      key: "spread",
      label: "lean",
      unit: "°",
      min: 0,
      max: 34,
      initial: 2.9,
      angle: true,
      hint: "how far cuts may lean",
    },
    { key: "random", label: "randomness", min: 0, max: 1, initial: 0.3 },
  ],
  bricks: [
    {
      key: "offset",
      label: "offset",
      min: 0,
      max: 1,
      initial: 0.5,
      hint: "shift of every other course, as a share of a brick",
    },
    { key: "jitter", label: "jitter", min: 0, max: 0.45, initial: 0 },
    { key: "gap", label: "joint", unit: "m", min: 0, initial: 0, hint: "width of the joints as drawn" },
  ],
  faces: [
    { key: "thickness", label: "thickness", unit: "m", min: 0.00001, initial: 0.01 },
    { key: "rough", label: "ragged", min: 0, max: 1, initial: 0, hint: "how ragged the flakes' edges are" },
  ],
  chunks: [{ key: "count", label: "chunks", min: 2, max: 2000, whole: true, initial: 8 }],
};
const scattered = computed(() => p.value.kind === "cells" || p.value.kind === "splinters");
const crowd = computed(() => p.value.crowd as { reach: FieldItem["reach"]; by: number } | null | undefined);
const guide = computed(() => p.value.guide as Pattern | null | undefined);
const layout = computed(() => p.value.layout as "straight" | "round");
const GUIDES = ["cells", "slabs", "bricks", "radial"] as const;

const set = (key: string, value: unknown): void =>
  emit("update:modelValue", { ...props.modelValue, [key]: value } as Any, key);
const RAD = Math.PI / 180;

function addCrowd(): void {
  const big = Math.max(...props.size);
  set("crowd", {
    by: 8,
    reach: {
      layers: [
        {
          shape: {
            kind: "sphere",
            center: [0, 0, 0],
            core: Number((big * 0.12).toPrecision(2)),
            edge: Number((big * 0.3).toPrecision(2)),
          },
          profile: "smooth",
          invert: false,
          blend: "normal",
          opacity: 1,
        },
      ],
    },
  });
}
</script>

<template>
  <ChoiceRow
    label="pattern"
    :hint="say('Body.pattern')"
    :options="options"
    :model-value="p.kind"
    @update:model-value="(k) => k !== p.kind && emit('update:modelValue', newPattern(k, size) as Any, 'pattern')" />
  <template v-if="scattered">
    <NumberRow
      label="count"
      hint="how many pieces it makes"
      whole
      :min="2"
      :max="5000"
      :initial="60"
      :model-value="p.count as number"
      @update:model-value="(v) => set('count', v)" />
    <NumberRow
      v-if="p.up_to"
      label="up to"
      whole
      :min="p.count as number"
      :max="5000"
      :model-value="p.up_to as number"
      hint="a random count between the two, drawn by the seed"
      @update:model-value="(v) => set('up_to', v)" />
  </template>
  <VectorField
    v-if="p.kind === 'bricks'"
    label="brick"
    unit="m"
    marks="lhd"
    :min="0.001"
    :model-value="p.size as Vec"
    @update:model-value="(v) => set('size', v)" />
  <ChoiceRow
    v-if="p.kind === 'bricks'"
    label="laid"
    :hint="say('BricksPattern.layout')"
    :options="
      [
        ['straight', 'straight'],
        ['round', 'round y'],
      ] as const
    "
    :model-value="layout"
    @update:model-value="(v) => set('layout', v)" />
  <template v-for="n in NUMBERS[p.kind] ?? []" :key="n.key">
    <NumberRow
      v-if="!(p.kind === 'chunks' && guide)"
      :label="n.label"
      :unit="n.unit"
      :min="n.min"
      :max="n.max"
      :whole="n.whole"
      :initial="n.initial"
      :hint="n.hint"
      :model-value="n.angle ? Number(((p[n.key] as number) / RAD).toFixed(3)) : (p[n.key] as number)"
      @update:model-value="(v) => set(n.key, n.angle ? v * RAD : v)" />
  </template>
  <div v-if="p.kind === 'splinters'" class="stack">
    <label>grain</label
    ><DirectionField label="grain" :model-value="p.grain as Vec" @update:model-value="(v) => set('grain', v)" />
  </div>
  <template v-if="p.kind === 'radial'">
    <div class="stack">
      <label>centre</label
      ><VectorField
        label="crack centre"
        unit="m"
        :model-value="p.center as Vec"
        :initial="0"
        @update:model-value="(v) => set('center', v)" />
    </div>
    <div class="stack">
      <label>axis</label
      ><DirectionField label="crack axis" :model-value="p.axis as Vec" @update:model-value="(v) => set('axis', v)" />
    </div>
  </template>
  <div v-if="p.kind === 'slabs'" class="stack">
    <label>across</label
    ><DirectionField label="across" :model-value="p.axis as Vec" @update:model-value="(v) => set('axis', v)" />
  </div>
  <template v-if="p.kind === 'chunks'">
    <ChoiceRow
      label="chunks by"
      :hint="say('ChunksPattern.guide')"
      :options="
        [
          ['count', 'count'],
          ['guide', 'guide break'],
        ] as const
      "
      :model-value="guide ? 'guide' : 'count'"
      @update:model-value="(v) => set('guide', v === 'guide' ? { ...newPattern('cells', size), count: 8 } : null)" />
    <div v-if="guide" class="nested">
      <PatternEditor :model-value="guide" :kinds="GUIDES" :size="size" @update:model-value="(v) => set('guide', v)" />
    </div>
  </template>
  <NumberRow
    v-if="p.seed !== undefined"
    label="seed"
    :hint="say('CellsPattern.seed')"
    whole
    :min="0"
    :max="99999"
    :initial="1"
    :model-value="p.seed"
    @update:model-value="(v) => set('seed', v)" />
  <NumberRow
    v-if="p.smallest !== undefined"
    label="smallest"
    unit="m"
    :min="0"
    :initial="0"
    :model-value="p.smallest as number"
    hint="a break that would leave a smaller piece is refused"
    @update:model-value="(v) => set('smallest', v)" />
  <div class="more">
    <ElButton v-if="p.seed !== undefined" link @click="set('seed', (p.seed + 1) % 99999)">scatter again</ElButton>
    <ElButton v-if="scattered" link @click="set('up_to', p.up_to ? null : Math.min(5000, (p.count as number) * 2))">
      {{ p.up_to ? "fixed count" : "random count" }}
    </ElButton>
    <ElButton v-if="p.kind === 'cells'" link @click="crowd ? set('crowd', null) : addCrowd()">
      {{ crowd ? "no crowding" : "crowd by a falloff" }}
    </ElButton>
  </div>
  <template v-if="crowd">
    <NumberRow
      label="crowd by"
      unit="×"
      :min="1"
      :max="100"
      :initial="8"
      :model-value="crowd.by"
      hint="so many times as many pieces where the value is 1"
      @update:model-value="(v) => set('crowd', { ...crowd, by: v })" />
    <ReachEditor
      label="crowding"
      :model-value="crowd.reach"
      @update:model-value="(v) => set('crowd', { ...crowd, reach: v })" />
  </template>
</template>

<style scoped>
.stack {
  margin: 4px 0;
}
.stack label {
  display: block;
  color: var(--soft);
  margin-bottom: 3px;
}
.more {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  font-size: 12px;
  color: var(--soft);
  padding: 4px 0;
}
.nested {
  border-left: 2px solid var(--line-strong);
  padding-left: 8px;
}
</style>
