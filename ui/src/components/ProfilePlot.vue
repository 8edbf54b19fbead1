<script setup lang="ts">
/** A falloff's value from the middle of its core outwards. */
import { ElButton } from "element-plus";
import { computed, ref } from "vue";
import type { Layer } from "../api/types";
import { follow } from "../composables/useDrag";
import NumberField from "../controls/NumberField.vue";
import { showNumber } from "../lib/units";
import Glyph from "./Glyph.vue";

const props = defineProps<{ layer: Layer; color: string }>();
const emit = defineEmits<{ points: [points: [number, number][]] }>();
const W = 236;
const H = 74;

const shape = computed(() => props.layer.shape as unknown as { core?: number | number[]; edge?: number });
const core = computed(() =>
  Array.isArray(shape.value.core) ? Math.min(...shape.value.core) / 2 : (shape.value.core ?? 0),
);
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
    const top = props.layer.invert ? 1 - profile(t) : profile(t);
    const v = (props.layer.low ?? 0) + ((props.layer.high ?? 1) - (props.layer.low ?? 0)) * top;
    points.push(`${((k / 80) * W).toFixed(1)} ${(H - 4 - v * (H - 14)).toFixed(1)}`);
  }
  return `M${points.join("L")}`;
});
const knobs = computed(() =>
  Array.isArray(props.layer.profile) && edge.value > 0
    ? (props.layer.profile as [number, number][]).map(([t, v]) => ({
        x: at(core.value + t * edge.value),
        y: H - 4 - v * (H - 14),
      }))
    : [],
);

const points = computed(() => (Array.isArray(props.layer.profile) ? (props.layer.profile as [number, number][]) : []));
/** the point whose numbers are shown */
const open = ref(-1);
const point = computed(() => points.value[open.value]);
const inner = computed(() => open.value > 0 && open.value < points.value.length - 1);

/** Points of an own profile lie one after the other; the first and last keep their place. */
function set(row: number, place: number, value: number): void {
  const next = structuredClone(points.value) as [number, number][];
  const [before, after] = [next[row - 1]?.[0] ?? 0, next[row + 1]?.[0] ?? 1];
  const ends = row === 0 ? 0 : row === next.length - 1 ? 1 : Math.min(after - 0.01, Math.max(before + 0.01, place));
  next[row] = [Number(ends.toFixed(3)), Number(Math.min(1, Math.max(0, value)).toFixed(3))];
  emit("points", next);
}

function drop(): void {
  const row = open.value;
  open.value = -1;
  emit(
    "points",
    points.value.filter((_, k) => k !== row),
  );
}

/** Drag a point of an own profile. */
function drag(event: PointerEvent, row: number): void {
  const svg = (event.currentTarget as SVGElement).closest("svg")!;
  follow(event, (e) => {
    const rect = svg.getBoundingClientRect();
    const place = (((e.clientX - rect.left) / rect.width) * reach.value - core.value) / edge.value;
    const value = (H - 4 - ((e.clientY - rect.top) / rect.height) * (H + 16)) / (H - 14);
    set(row, place, value);
  });
}

/** A double-click puts one more point on an own profile. */
function more(event: MouseEvent): void {
  if (!Array.isArray(props.layer.profile)) return;
  const rect = (event.currentTarget as SVGElement).getBoundingClientRect();
  const place = Number(
    ((((event.clientX - rect.left) / rect.width) * reach.value - core.value) / edge.value).toFixed(3),
  );
  if (place <= 0.01 || place >= 0.99) return;
  emit(
    "points",
    [
      ...(props.layer.profile as [number, number][]),
      [place, Number(profile(place).toFixed(3))] as [number, number],
    ].sort((a, b) => a[0] - b[0]),
  );
}
const at = (d: number): number => (d / reach.value) * W;
</script>

<template>
  <svg
    :viewBox="`0 0 ${W} ${H + 16}`"
    class="plot"
    :style="{ color }"
    role="img"
    aria-label="cross-section of the falloff"
    @dblclick="more">
    <path :d="`${path}V${H - 4}H0Z`" class="fill" />
    <path :d="path" class="line" />
    <circle
      v-for="(k, row) in knobs"
      :key="row"
      :cx="k.x"
      :cy="k.y"
      r="4"
      class="knob"
      :class="{ open: row === open }"
      v-hint="'Drag; double-click for its numbers'"
      @pointerdown="drag($event, row)"
      @dblclick.stop="open = row" />
    <line v-if="core > 0" :x1="at(core)" :x2="at(core)" y1="6" :y2="H - 4" class="mark" />
    <line :x1="at(core + edge)" :x2="at(core + edge)" y1="6" :y2="H - 4" class="mark" />
    <text
      v-if="core > 0"
      :x="at(edge) > 84 ? Math.max(54, at(core) - 4) : 6"
      :y="H + 11"
      :text-anchor="at(edge) > 84 ? 'end' : 'start'">
      core {{ showNumber(core, 3) }}
    </text>
    <text :x="at(core + edge) + 4" :y="H + 11" text-anchor="end">edge {{ showNumber(core + edge, 3) }} m</text>
  </svg>
  <div v-if="point" class="point">
    <NumberField
      label="place of the point"
      mark="↔"
      :min="0"
      :max="1"
      :model-value="point[0]"
      @update:model-value="(t) => set(open, t, point![1])" />
    <NumberField
      label="value of the point"
      mark="↕"
      :min="0"
      :max="1"
      :model-value="point[1]"
      @update:model-value="(v) => set(open, point![0], v)" />
    <ElButton text class="icon" v-hint="'Take this point out'" :disabled="!inner" @click="drop"
      ><Glyph name="cross" :size="11"
    /></ElButton>
    <ElButton text class="icon" v-hint="'Done'" @click="open = -1"><Glyph name="check" :size="11" /></ElButton>
  </div>
</template>

<style scoped>
.point {
  display: grid;
  grid-template-columns: 1fr 1fr auto auto;
  gap: 4px;
  margin: 4px 0;
}
.knob.open {
  stroke: var(--chalk);
}
.plot {
  width: 100%;
  background: var(--basalt-2);
  border: 1px solid var(--line);
  border-radius: var(--radius);
  display: block;
  margin-bottom: 8px;
}
.fill {
  fill: currentColor;
  opacity: 0.16;
}
.line {
  fill: none;
  stroke: currentColor;
  stroke-width: 2;
}
.knob {
  fill: var(--basalt-2);
  stroke: currentColor;
  stroke-width: 2;
  cursor: grab;
}
.mark {
  stroke: var(--line-strong);
  stroke-dasharray: 2 3;
}
text {
  fill: var(--soft);
  font: 10.5px var(--figures);
}
</style>
