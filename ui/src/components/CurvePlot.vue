<script setup lang="ts">
/** One channel over time: keys to drag, double-click for one more; how each goes on below. */
import { ElButton } from "element-plus";
import { computed, ref } from "vue";
import { numberAt, type Channel, type NumberKey } from "../lib/channels";
import { showNumber } from "../lib/units";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import { follow } from "../composables/useDrag";
import NumberField from "../controls/NumberField.vue";
import Pick from "../controls/Pick.vue";

const props = defineProps<{ channel: Channel; color: string }>();
const emit = defineEmits<{ change: [next: Channel] }>();
const shot = useShot();
const view = useView();
const HOW = [
  ["smooth", "smooth"],
  ["linear", "linear"],
  ["step", "step"],
  ["bezier", "curve"],
] as const;
const W = 252;
const H = 84;
const fps = computed(() => shot.document?.timing.fps ?? 24);
const total = computed(() => (shot.document?.timing.frames ?? 240) / fps.value);
const keys = computed(() => props.channel.keys as NumberKey[]);
const chosen = ref(0);
const picked = computed(() => keys.value[Math.min(chosen.value, keys.value.length - 1)]);
const word = computed(() =>
  props.channel.of.split(".").slice(-2).join(" ").replace("shape ", "").replace("effect ", ""),
);
/** the range stays while a key is dragged */
const frozen = ref<[number, number] | null>(null);
const range = computed<[number, number]>(() => {
  if (frozen.value) return frozen.value;
  const values = keys.value.map((k) => k.value);
  const lo = Math.min(...values);
  const hi = Math.max(...values);
  const room = Math.max((hi - lo) * 0.15, Math.abs(hi) * 0.05, 1e-6);
  return [lo - room, hi + room];
});
const x = (t: number): number => (t / total.value) * W;
const y = (v: number): number => H - 4 - ((v - range.value[0]) / (range.value[1] - range.value[0])) * (H - 8);
const path = computed(() =>
  Array.from(
    { length: 127 },
    (_, k) => `${k ? "L" : "M"}${(k * 2).toFixed(0)} ${y(numberAt(props.channel, (k / 126) * total.value)).toFixed(1)}`,
  ).join(""),
);
const snap = (t: number): number =>
  Number((Math.round(Math.max(0, Math.min(total.value, t)) * fps.value) / fps.value).toFixed(4));

function give(next: NumberKey[]): void {
  emit("change", { ...props.channel, keys: [...next].sort((a, b) => a.time - b.time) as never });
}

function at(event: MouseEvent, svg: SVGSVGElement): { time: number; value: number } {
  const rect = svg.getBoundingClientRect();
  const u = (event.clientX - rect.left) / rect.width;
  const v = 1 - ((event.clientY - rect.top) / rect.height) * (H / (H - 8)) + 4 / (H - 8);
  return {
    time: snap(u * total.value),
    value: Number((range.value[0] + v * (range.value[1] - range.value[0])).toPrecision(4)),
  };
}

function drag(event: PointerEvent, row: number): void {
  event.stopPropagation();
  chosen.value = row;
  const svg = (event.currentTarget as SVGElement).closest("svg")!;
  frozen.value = range.value;
  const move = (e: PointerEvent): void => {
    const to = at(e, svg);
    const [lo, hi] = [
      row > 0 ? keys.value[row - 1]!.time + 1 / fps.value : 0,
      row < keys.value.length - 1 ? keys.value[row + 1]!.time - 1 / fps.value : total.value,
    ];
    give(
      keys.value.map((k, i) =>
        i === row
          ? {
              ...k,
              time: Number(Math.min(hi, Math.max(lo, to.time)).toFixed(4)),
              value: e.shiftKey ? k.value : to.value,
            }
          : k,
      ),
    );
  };
  follow(event, move, () => (frozen.value = null));
}

function more(event: MouseEvent): void {
  const to = at(event, event.currentTarget as SVGSVGElement);
  if (keys.value.some((k) => Math.abs(k.time - to.time) < 0.5 / fps.value)) return;
  give([...keys.value, { ...to, how: "smooth", curve: [0.4, 0, 0.6, 1] }]);
  chosen.value = keys.value.filter((k) => k.time < to.time).length;
}

const editKey = (change: Partial<NumberKey>): void =>
  give(keys.value.map((k) => (k === picked.value ? { ...k, ...change } : k)));
</script>

<template>
  <div class="curve" :style="{ color }">
    <p class="figures">
      <b>{{ word }}</b><span>{{ showNumber(numberAt(channel, view.frame / fps), 4) }} at f {{ view.frame }}</span>
    </p>
    <svg
      :viewBox="`0 0 ${W} ${H}`"
      role="img"
      :aria-label="`curve of ${word}`"
      :data-testid="`curve-${channel.of}`"
      @dblclick="more">
      <line :x1="x(view.frame / fps)" :x2="x(view.frame / fps)" y1="0" :y2="H" class="now" />
      <path :d="path" class="line" />
      <path
        v-for="(k, row) in keys"
        :key="row"
        :transform="`translate(${x(k.time)} ${y(k.value)})`"
        d="M0 -6L5 0L0 6L-5 0Z"
        class="knob"
        :class="{ chosen: k === picked }"
        @pointerdown="drag($event, row)">
        <title>{{ k.time }} s: {{ showNumber(k.value, 4) }}, {{ k.how }}</title>
      </path>
    </svg>
    <div v-if="picked" class="key">
      <NumberField
        label="key time"
        unit="s"
        :min="0"
        :max="1e5"
        :step="1 / fps"
        :model-value="picked.time"
        @update:model-value="(v) => editKey({ time: v })" />
      <NumberField label="key value" :model-value="picked.value" @update:model-value="(v) => editKey({ value: v })" />
      <Pick
        label="how the key goes on"
        :options="HOW"
        :model-value="picked.how"
        @update:model-value="(how) => editKey({ how })" />
      <ElButton text class="icon" v-hint="'Take this key out'" @click="give(keys.filter((k) => k !== picked))"
        >×</ElButton
      >
    </div>
  </div>
</template>

<style scoped>
.curve {
  margin-bottom: 10px;
}
.curve p {
  display: flex;
  justify-content: space-between;
  margin-bottom: 3px;
}
.curve p span {
  color: var(--soft);
}
svg {
  width: 100%;
  background: var(--basalt-2);
  border: 1px solid var(--line);
  border-radius: var(--radius);
  display: block;
  touch-action: none;
}
.line {
  fill: none;
  stroke: currentColor;
  stroke-width: 1.6;
}
.now {
  stroke: var(--accent);
  opacity: 0.6;
}
.knob {
  fill: var(--basalt-2);
  stroke: currentColor;
  stroke-width: 1.5;
  cursor: grab;
}
.knob.chosen {
  fill: currentColor;
}
.key {
  display: grid;
  grid-template-columns: 1fr 1fr 70px 20px;
  gap: 4px;
  margin-top: 4px;
  align-items: center;
}
.key .button {
  padding: 0;
  height: 24px;
}
</style>
