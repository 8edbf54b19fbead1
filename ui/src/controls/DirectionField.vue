<script setup lang="ts">
/** A direction: three numbers in any proportion, or a ball whose arrow is dragged. It is made a unit long when left. */
import { computed, ref, watch } from "vue";
import { follow } from "../composables/useDrag";
import type { Vec } from "../lib/rotation";
import NumberField from "./NumberField.vue";

const props = defineProps<{ modelValue: readonly number[]; label: string; marks?: string }>();
const emit = defineEmits<{ "update:modelValue": [value: Vec] }>();
/** what is typed, while it may be no direction yet */
const draft = ref<Vec | null>(null);
const now = computed(() => draft.value ?? (props.modelValue as Vec));
const isNone = computed(() => Math.hypot(...now.value) < 1e-9);
watch(
  () => props.modelValue,
  () => (draft.value = null),
);
const R = 20;
const tidy = (x: number): number => Number(x.toFixed(4));
const unit = (v: Vec): Vec => v.map((x) => tidy(x / Math.hypot(...v))) as Vec;
const shown = computed(() => (isNone.value ? ([0, 0, 0] as Vec) : unit(now.value)));
/** the ball is seen from the front and a little from above */
const tip = computed(() => {
  const [x, y, z] = shown.value;
  return { x: x * R, y: -(y * 0.94 - z * 0.34) * R, behind: z * 0.94 + y * 0.34 < 0 };
});

function set(k: number, value: number): void {
  const next = [...now.value] as Vec;
  next[k] = value;
  draft.value = next;
  if (Math.hypot(...next) > 1e-9) emit("update:modelValue", next);
}

function leave(event: FocusEvent): void {
  const host = event.currentTarget as HTMLElement;
  if (host.contains(event.relatedTarget as Node | null) || isNone.value) return;
  const next = unit(now.value);
  if (next.some((x, k) => x !== props.modelValue[k])) emit("update:modelValue", next);
}

function drag(event: PointerEvent): void {
  const [x0, y0] = [event.clientX, event.clientY];
  const [x, y, z] = isNone.value ? [0, 1, 0] : shown.value;
  const around = Math.atan2(x, z);
  const up = Math.asin(Math.max(-1, Math.min(1, y)));
  follow(event, (e) => {
    const a = around + (e.clientX - x0) / 40;
    const b = Math.max(-Math.PI / 2, Math.min(Math.PI / 2, up - (e.clientY - y0) / 40));
    const snap = (t: number): number => (e.ctrlKey ? (Math.round((t * 12) / Math.PI) * Math.PI) / 12 : t);
    const [c, d] = [snap(a), snap(b)];
    emit("update:modelValue", [Math.cos(d) * Math.sin(c), Math.sin(d), Math.cos(d) * Math.cos(c)].map(tidy) as Vec);
  });
}
</script>

<template>
  <span class="direction" @focusout="leave">
    <svg
      v-hint="'Drag to turn; Ctrl by 15°'"
      viewBox="-24 -24 48 48"
      width="26"
      height="26"
      :aria-label="`${label}, as an arrow`"
      @pointerdown.prevent="drag">
      <circle :r="R + 2" />
      <line x1="0" y1="0" :x2="tip.x" :y2="tip.y" :class="{ behind: tip.behind }" />
      <circle r="4" class="tip" :cx="tip.x" :cy="tip.y" :class="{ behind: tip.behind }" />
    </svg>
    <NumberField
      v-for="k in [0, 1, 2]"
      :key="k"
      :model-value="now[k]!"
      :label="`${label} ${(marks ?? 'xyz')[k]}`"
      :mark="(marks ?? 'xyz')[k]"
      :min="-1e6"
      :step="0.01"
      @update:model-value="set(k, $event)" />
    <span v-if="isNone" class="problem" role="alert">this points nowhere: give one of the three a value</span>
  </span>
</template>

<style scoped>
.direction {
  display: grid;
  grid-template-columns: 26px repeat(3, minmax(0, 1fr));
  gap: 4px;
}
.problem {
  grid-column: 1 / -1;
}
svg {
  cursor: grab;
  touch-action: none;
}
circle {
  fill: var(--basalt-2);
  stroke: var(--line-strong);
  stroke-width: 2;
}
line {
  stroke: var(--accent);
  stroke-width: 4;
}
.tip {
  fill: var(--accent);
  stroke: none;
}
.behind {
  opacity: 0.45;
}
</style>
