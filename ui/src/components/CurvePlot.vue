<script setup lang="ts">
/** One channel over time: keys to drag, double-click for one more; how each goes on below. */
import { ElButton, ElDialog } from "element-plus";
import { computed, ref } from "vue";
import { numberAt, type Channel, type NumberKey } from "../lib/channels";
import { channelWord } from "../lib/lanes";
import { roundTicks } from "../lib/ticks";
import { showNumber } from "../lib/units";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import { follow } from "../composables/useDrag";
import NumberField from "../controls/NumberField.vue";
import Glyph from "./Glyph.vue";
import Pick from "../controls/Pick.vue";

const props = defineProps<{ channel: Channel; color: string; large?: boolean }>();
const emit = defineEmits<{ change: [next: Channel] }>();
const shot = useShot();
const view = useView();
const HOW = [
  ["smooth", "smooth"],
  ["linear", "linear"],
  ["step", "step"],
  ["bezier", "curve"],
] as const;
const W = props.large ? 880 : 252;
const H = props.large ? 380 : 84;
/** room for the numbers on the axes */
const [LEFT, FOOT] = props.large ? [56, 22] : [0, 0];
const open = ref(false);
const fps = computed(() => shot.document?.timing.fps ?? 24);
const total = computed(() => (shot.document?.timing.frames ?? 240) / fps.value);
const keys = computed(() => props.channel.keys as NumberKey[]);
const chosen = ref(0);
const picked = computed(() => keys.value[Math.min(chosen.value, keys.value.length - 1)]);
const word = computed(() => channelWord(props.channel.of));
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
const x = (t: number): number => LEFT + (t / total.value) * (W - LEFT);
const y = (v: number): number =>
  H - FOOT - 4 - ((v - range.value[0]) / (range.value[1] - range.value[0])) * (H - FOOT - 8);
const POINTS = props.large ? 400 : 126;
const path = computed(() =>
  Array.from({ length: POINTS + 1 }, (_, k) => {
    const t = (k / POINTS) * total.value;
    return `${k ? "L" : "M"}${x(t).toFixed(1)} ${y(numberAt(props.channel, t)).toFixed(1)}`;
  }).join(""),
);
const marks = computed(() =>
  props.large
    ? { times: roundTicks(0, total.value, 10), values: roundTicks(range.value[0], range.value[1], 6) }
    : { times: [], values: [] },
);
/** what can be pulled of keys that go on by a curve of their own: where it leaves and where it arrives */
const pulls = computed(() =>
  keys.value.flatMap((k, row) => {
    const next = keys.value[row + 1];
    if (k.how !== "bezier" || !next || !props.large) return [];
    const [time, value] = [next.time - k.time, next.value - k.value];
    return [0, 1].map((end) => ({
      row,
      end,
      from: end ? next : k,
      time: k.time + time * k.curve[end * 2]!,
      value: k.value + value * k.curve[end * 2 + 1]!,
    }));
  }),
);
const snap = (t: number): number =>
  Number((Math.round(Math.max(0, Math.min(total.value, t)) * fps.value) / fps.value).toFixed(4));

function give(next: NumberKey[]): void {
  emit("change", { ...props.channel, keys: [...next].sort((a, b) => a.time - b.time) as never });
}

/** Where the pointer is in the plot's own numbers. */
function under(event: MouseEvent, svg: SVGSVGElement): { time: number; value: number } {
  const rect = svg.getBoundingClientRect();
  const u = (((event.clientX - rect.left) / rect.width) * W - LEFT) / (W - LEFT);
  const v = (H - FOOT - 4 - ((event.clientY - rect.top) / rect.height) * H) / (H - FOOT - 8);
  return { time: u * total.value, value: range.value[0] + v * (range.value[1] - range.value[0]) };
}

function at(event: MouseEvent, svg: SVGSVGElement): { time: number; value: number } {
  const { time, value } = under(event, svg);
  return { time: snap(time), value: Number(value.toPrecision(4)) };
}

/** Pull the curve of a key: its time within the way to the next key, its value as a share of that way. */
function pull(event: PointerEvent, row: number, end: number): void {
  event.stopPropagation();
  chosen.value = row;
  const svg = (event.currentTarget as SVGElement).closest("svg")!;
  const [here, there] = [keys.value[row]!, keys.value[row + 1]!];
  frozen.value = range.value;
  const move = (e: PointerEvent): void => {
    const to = under(e, svg);
    const curve = [...here.curve] as NumberKey["curve"];
    curve[end * 2] = Number(Math.min(1, Math.max(0, (to.time - here.time) / (there.time - here.time))).toFixed(3));
    const way = there.value - here.value;
    if (Math.abs(way) > 1e-12)
      curve[end * 2 + 1] = Number(Math.min(10, Math.max(-10, (to.value - here.value) / way)).toFixed(3));
    give(keys.value.map((k, i) => (i === row ? { ...k, curve } : k)));
  };
  follow(event, move, () => (frozen.value = null));
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
      <b>{{ word }}</b
      ><span
        >{{ showNumber(numberAt(channel, view.frame / fps), 4) }} at f {{ view.frame
        }}<ElButton
          v-if="!large"
          text
          class="icon enlarge"
          v-hint="'A large plot, with handles to pull curves by'"
          :data-testid="`enlarge-${channel.of}`"
          @click="open = true"
          ><Glyph name="fit" :size="12" /></ElButton
      ></span>
    </p>
    <svg
      :viewBox="`0 0 ${W} ${H}`"
      role="img"
      :aria-label="`curve of ${word}`"
      :data-testid="`curve-${channel.of}`"
      @dblclick="more">
      <g v-for="t in marks.times" :key="`t${t}`" class="mark figures">
        <line :x1="x(t)" :x2="x(t)" y1="0" :y2="H - FOOT" />
        <text :x="Math.min(x(t), W - 14)" :y="H - 7" text-anchor="middle">{{ t }} s</text>
      </g>
      <g v-for="v in marks.values" :key="`v${v}`" class="mark figures">
        <line :x1="LEFT" :x2="W" :y1="y(v)" :y2="y(v)" />
        <text :x="LEFT - 6" :y="y(v) + 4" text-anchor="end">{{ showNumber(v, 4) }}</text>
      </g>
      <line :x1="x(view.frame / fps)" :x2="x(view.frame / fps)" y1="0" :y2="H" class="now" />
      <path :d="path" class="line" />
      <g v-for="p in pulls" :key="`${p.row} ${p.end}`">
        <line :x1="x(p.from.time)" :y1="y(p.from.value)" :x2="x(p.time)" :y2="y(p.value)" class="arm" />
        <circle
          :cx="x(p.time)"
          :cy="y(p.value)"
          r="5"
          class="knob"
          :data-testid="`pull-${p.row}-${p.end}`"
          @pointerdown="pull($event, p.row, p.end)" />
      </g>
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
    <ElDialog v-if="!large" v-model="open" :title="word" width="940px" append-to-body destroy-on-close>
      <CurvePlot large :channel="channel" :color="color" @change="(next) => emit('change', next)" />
      <p class="mute">
        Drag keys, with Shift in time alone; double-click for one more. A key that goes on by a curve has two handles.
      </p>
    </ElDialog>
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
  overflow: visible;
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
.mark line {
  stroke: var(--line);
}
.mark text {
  fill: var(--mute);
  font-size: 11px;
}
.arm {
  stroke: currentColor;
  opacity: 0.5;
}
.enlarge {
  height: 18px;
  padding: 0 2px;
  margin-left: 4px;
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
