<script setup lang="ts">
/** What happened in the take shown, over time: bonds that broke, what moved, energy, stretch. */
import { computed } from "vue";
import { useTakeStats } from "../composables/useTakeStats";
import { useTakes } from "../stores/takes";

const props = defineProps<{ x: (frame: number) => number; total: number }>();
const takes = useTakes();
const did = useTakeStats();

const last = computed(() => Math.max(0, (takes.frames?.count ?? 1) - 1));
const bars = computed(() => {
  const top = Math.max(1, ...did.broken);
  return did.broken.flatMap((n, f) => (n > 0 ? [{ x: props.x(f), h: 4 + 30 * Math.sqrt(n / top), f, n }] : []));
});
/** Numbers as a line, the greatest of them, or floor where that is more, at the top. */
const line = (values: readonly number[], floor: number): string => {
  const top = values.reduce((a, b) => Math.max(a, b), floor);
  return values
    .map((n, f) => `${f ? "L" : "M"}${props.x(f).toFixed(1)} ${(40 - 34 * (Math.max(0, n) / top)).toFixed(1)}`)
    .join("");
};
const curve = computed(() => line(did.moving, 1));
const stretchLine = computed(() => line(did.stretch, 0.02));
const energyLine = computed(() => {
  const least = did.energy.reduce((a, b) => Math.min(a, b), did.energy[0] ?? 0);
  return line(
    did.energy.map((e) => e - least),
    1e-9,
  );
});
</script>

<template>
  <rect
    v-if="takes.frames && last < total"
    :x="x(last)"
    y="20"
    :width="Math.max(0, x(total) - x(last))"
    height="42"
    class="missing" />
  <g transform="translate(0 22)">
    <rect
      v-for="b in bars"
      :key="b.f"
      v-hint="`${b.n} bonds broken at frame ${b.f}`"
      :x="b.x - 1"
      :y="40 - b.h"
      width="2.5"
      :height="b.h"
      class="broke" />
    <path :d="energyLine" class="energy" />
    <path v-if="did.stretch.length" :d="stretchLine" class="stretch" />
    <path :d="curve" class="moving" />
  </g>
</template>

<style scoped>
.missing {
  fill: none;
  stroke: var(--line-strong);
  stroke-dasharray: 3 3;
}
.broke {
  fill: var(--ember);
}
.stretch {
  fill: none;
  stroke: var(--dusk);
  stroke-width: 1;
  opacity: 0.75;
}
.energy {
  fill: none;
  stroke: var(--tide);
  stroke-width: 1;
  opacity: 0.7;
}
.moving {
  fill: none;
  stroke: var(--chalk);
  stroke-width: 1.5;
}
</style>
