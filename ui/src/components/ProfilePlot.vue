<script setup lang="ts">
/** A falloff's value from the middle of its core outwards. */
import { computed } from "vue";
import type { Layer } from "../api/types";
import { showNumber } from "../lib/units";

const props = defineProps<{ layer: Layer; color: string }>();
const W = 236;
const H = 74;

const shape = computed(() => props.layer.shape);
const core = computed(() => (shape.value.kind === "sphere" ? (shape.value.core ?? 0) : shape.value.kind === "box" ? Math.min(...(shape.value.core as number[])) / 2 : 0));
const edge = computed(() => shape.value.edge ?? 0);
const reach = computed(() => Math.max(1e-6, (core.value + edge.value) * 1.15));

function profile(t: number): number {
  const p = props.layer.profile;
  if (Array.isArray(p)) {
    const k = p.findIndex(([x]) => x >= t);
    if (k < 0) return p.at(-1)![1];
    if (k === 0) return p[0]![1];
    const [x0, y0] = p[k - 1]!;
    const [x1, y1] = p[k]!;
    return y0 + ((y1 - y0) * (t - x0)) / (x1 - x0);
  }
  if (p === "linear") return 1 - t;
  if (p === "sharp") return (1 - t) ** 2;
  if (p === "round") return Math.sqrt(Math.max(0, 1 - t * t));
  return 1 - t * t * (3 - 2 * t);
}

const path = computed(() => {
  const points: string[] = [];
  for (let k = 0; k <= 80; k++) {
    const d = (k / 80) * reach.value;
    const t = edge.value > 0 ? Math.max(0, Math.min(1, (d - core.value) / edge.value)) : d > core.value ? 1 : 0;
    const v = props.layer.invert ? 1 - profile(t) : profile(t);
    points.push(`${((k / 80) * W).toFixed(1)} ${(H - 4 - v * (H - 14)).toFixed(1)}`);
  }
  return `M${points.join("L")}`;
});
const at = (d: number): number => (d / reach.value) * W;
</script>

<template>
  <svg :viewBox="`0 0 ${W} ${H + 16}`" class="plot" :style="{ color }" role="img" aria-label="cross-section of the falloff">
    <path :d="`${path}V${H - 4}H0Z`" class="fill" />
    <path :d="path" class="line" />
    <line v-if="core > 0" :x1="at(core)" :x2="at(core)" y1="6" :y2="H - 4" class="mark" />
    <line :x1="at(core + edge)" :x2="at(core + edge)" y1="6" :y2="H - 4" class="mark" />
    <text v-if="core > 0" :x="Math.max(34, at(core) - 4)" :y="H + 11" text-anchor="end">core {{ showNumber(core, 3) }}</text>
    <text :x="at(core + edge) + 4" :y="H + 11" text-anchor="end">edge {{ showNumber(core + edge, 3) }} m</text>
  </svg>
</template>

<style scoped>
.plot { width: 100%; background: var(--basalt-2); border: 1px solid var(--line); border-radius: var(--radius); display: block; margin-bottom: 8px; }
.fill { fill: currentColor; opacity: 0.16; }
.line { fill: none; stroke: currentColor; stroke-width: 2; }
.mark { stroke: var(--line-strong); stroke-dasharray: 2 3; }
text { fill: var(--soft); font: 10.5px var(--figures); }
</style>
