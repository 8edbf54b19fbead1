<script setup lang="ts">
/** The first layer of a falloff in a few numbers: a sphere, box or plane with core and edge. */
import { computed } from "vue";
import type { FieldItem, ReachShape } from "../api/types";
import type { Vec } from "../lib/rotation";
import ChoiceRow from "./ChoiceRow.vue";
import NumberRow from "./NumberRow.vue";
import VectorField from "./VectorField.vue";

type Falloff = FieldItem["reach"];
const props = defineProps<{ modelValue: Falloff; label?: string }>();
const emit = defineEmits<{ "update:modelValue": [value: Falloff] }>();
const shape = computed(() => props.modelValue.layers![0]!.shape as ReachShape);
const KINDS = [["sphere", "sphere"], ["box", "box"], ["plane", "plane"]] as const;

function put(next: ReachShape): void {
  const layers = structuredClone(props.modelValue.layers!);
  layers[0]!.shape = next;
  emit("update:modelValue", { ...props.modelValue, layers });
}

function setKind(kind: ReachShape["kind"]): void {
  const center = shape.value.center as Vec;
  const edge = shape.value.edge ?? 0;
  const old = shape.value;
  const size = old.kind === "sphere" ? (old.core ?? 1) : old.kind === "box" ? Math.min(...(old.core as number[])) / 2 : 1;
  put(kind === "sphere" ? { kind, center, core: size, edge, ride: null } : kind === "box" ? { kind, center, rotation: [0, 0, 0, 1], core: [2 * size, 2 * size, 2 * size], edge, ride: null } : { kind, center, normal: [0, 1, 0], edge, ride: null });
}

const set = (key: string, value: unknown): void => put({ ...shape.value, [key]: value } as ReachShape);
const name = computed(() => props.label ?? "reach");
</script>

<template>
  <ChoiceRow :label="name" :options="KINDS" :model-value="shape.kind" @update:model-value="setKind" />
  <VectorField :label="`${name} centre`" unit="m" :model-value="shape.center as Vec" :initial="0" @update:model-value="(v) => set('center', v)" />
  <NumberRow v-if="shape.kind === 'sphere'" label="core radius" unit="m" :min="0" :model-value="shape.core ?? 1" @update:model-value="(v) => set('core', v)" />
  <div v-else-if="shape.kind === 'box'" class="gap"><VectorField :label="`${name} core`" unit="m" marks="whd" :min="0.001" :model-value="shape.core as Vec" @update:model-value="(v) => set('core', v)" /></div>
  <div v-else class="gap"><VectorField :label="`${name} normal`" :model-value="shape.normal as Vec" @update:model-value="(v) => Math.hypot(...v) > 0 && set('normal', v)" /></div>
  <NumberRow label="edge width" unit="m" :min="0" :model-value="shape.edge ?? 0" @update:model-value="(v) => set('edge', v)" />
</template>

<style scoped>
.gap { margin-top: 4px; }
</style>
