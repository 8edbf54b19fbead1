<script setup lang="ts">
/** What one piece of the take went through: how full its bonds were, who acted on it, and what became of it. */
import { ElButton } from "element-plus";
import { computed, ref, watch } from "vue";
import Choices from "../controls/Choices.vue";
import Section from "../controls/Section.vue";
import { follow } from "../composables/useDrag";
import { useTrace } from "../composables/useTrace";
import { FAMILY, type Family } from "../lib/document";
import { pieceWord, sourceWords, spanAt, storyOf, tracePath } from "../lib/trace";
import { showNumber } from "../lib/units";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import Glyph from "./Glyph.vue";
import MomentRow from "./MomentRow.vue";
import ShareBar from "./ShareBar.vue";

const emit = defineEmits<{ seek: [frame: number] }>();
const takes = useTakes();
const view = useView();
const { trace, bonds, working, problem } = useTrace();
const [W, H] = [200, 56];
const MOST = { bonds: 8, events: 60 };
const HUES: Record<Family, string> = {
  holds: "var(--lichen)",
  breaks: "var(--ember)",
  moves: "var(--tide)",
  ends: "var(--ash)",
};

const what = ref<"load" | "speed">("load");
watch(trace, (now) => now && !now.load.length && (what.value = "speed"));
const values = computed(() => (what.value === "load" ? trace.value?.load : trace.value?.speed) ?? []);
const top = computed(() =>
  what.value === "load"
    ? Math.min(3, Math.max(1.1, ...values.value))
    : Math.max(
        0.1,
        values.value.reduce((most, v) => Math.max(most, v), 0),
      ) * 1.05,
);
const path = computed(() => tracePath(values.value, top.value, W, H));
const now = computed(() => values.value[view.frame]);
const said = computed(() => {
  if (now.value === undefined) return "";
  return what.value === "load" ? `${showNumber(100 * now.value, 3)} %` : `${showNumber(now.value, 3)} m/s`;
});
const at = computed(() => ((view.frame + 0.5) / Math.max(1, trace.value?.frames ?? 1)) * 100);
const story = computed(() => (trace.value && view.traced ? storyOf(trace.value.events, view.traced) : []));
const lanes = computed(() => {
  const fields = new Map(takes.document?.fields.map((f) => [f.name, f]) ?? []);
  return (trace.value?.fields ?? []).map((lane) => ({ ...lane, kind: fields.get(lane.name)?.effect.kind }));
});

/** To the frame that lies there on the plot or on a lane. */
function seekAt(event: PointerEvent): void {
  const box = (event.currentTarget as Element).getBoundingClientRect();
  const frames = trace.value?.frames ?? 1;
  const to = (e: PointerEvent): void => {
    const share = (e.clientX - box.left) / box.width;
    emit("seek", Math.max(0, Math.min(frames - 1, Math.floor(share * frames))));
  };
  view.playing = false;
  to(event);
  follow(event, to);
}

/** Trace the piece at the other end of a bond. */
function goTo(piece: number): void {
  const traced = view.traced!;
  const index = piece - traced.first;
  view.traced = { ...traced, piece };
  view.picked = [index];
  view.piece = { body: traced.thing, index };
}
</script>

<template>
  <Section
    v-if="view.traced"
    title="Trace"
    :note="`${view.traced.body}, ${pieceWord(view.traced.piece, view.traced)}`"
    data-testid="trace">
    <p v-if="problem" class="problem" role="alert">{{ problem }}</p>
    <template v-if="trace">
      <div class="head">
        <Choices
          v-if="trace.load.length"
          v-model="what"
          label="plotted"
          :options="
            [
              ['load', 'worst bond'],
              ['speed', 'speed'],
            ] as const
          " />
        <span v-else class="mute">speed</span>
        <b class="figures" data-testid="trace-now">{{ said }}</b>
      </div>
      <div class="lane plot" @pointerdown="seekAt">
        <svg :viewBox="`0 0 ${W} ${H}`" preserveAspectRatio="none" role="img" :aria-label="`${what} over the take`">
          <line v-if="what === 'load'" class="full" x1="0" :x2="W" :y1="H * (1 - 1 / top)" :y2="H * (1 - 1 / top)" />
          <path :d="path" />
        </svg>
        <i class="now" :style="{ left: `${at}%` }" />
      </div>
      <p class="mute small ends">
        <span>f 0</span><span v-if="what === 'load'">the broken line is all it can bear</span
        ><span v-else>to {{ showNumber(top / 1.05, 3) }} m/s</span><span>f {{ trace.frames - 1 }}</span>
      </p>
      <div v-for="lane in trace.states" :key="`s${lane.name}`" class="named">
        <span class="mute">{{ lane.name }}</span>
        <div class="lane" @pointerdown="seekAt">
          <i v-for="s in lane.spans" :key="s[0]" class="span" :style="spanAt(s, trace.frames)" />
          <i class="now" :style="{ left: `${at}%` }" />
        </div>
      </div>
      <div v-for="lane in lanes" :key="lane.name" class="named" data-testid="trace-field">
        <span v-hint="lane.name"><Glyph v-if="lane.kind" :name="lane.kind" :size="12" />{{ lane.name }}</span>
        <div class="lane" @pointerdown="seekAt">
          <i
            v-for="s in lane.spans"
            :key="s[0]"
            class="span"
            :style="{ ...spanAt(s, trace.frames), background: lane.kind ? HUES[FAMILY[lane.kind]] : undefined }" />
          <i class="now" :style="{ left: `${at}%` }" />
        </div>
      </div>
      <p v-if="!lanes.length" class="mute small">No field acted on it.</p>
    </template>
    <p v-else-if="!problem" class="mute small">Reading the take …</p>

    <h4>Its bonds as f {{ view.frame }} begins</h4>
    <p v-if="working" class="mute small" role="status">Working out what loads them …</p>
    <p v-else-if="bonds === null" class="mute small">Shown where the playhead stands still.</p>
    <p v-else-if="!bonds.length" class="mute small" data-testid="no-bonds">It has none that hold.</p>
    <div v-for="b in bonds?.slice(0, MOST.bonds)" :key="b.bond" class="bond" data-testid="trace-bond">
      <div class="row">
        <ElButton link @click="goTo(b.piece)">{{ pieceWord(b.piece, view.traced) }}</ElButton>
        <b class="figures">{{ showNumber(b.load, 3) }} of {{ showNumber(b.strength, 3) }} kN</b>
      </div>
      <ShareBar :load="b.load" :strength="b.strength" />
      <p class="mute small">{{ sourceWords(b.causes, view.traced.body) || "nothing loads it" }}</p>
    </div>
    <p v-if="bonds && bonds.length > MOST.bonds" class="mute small">
      and {{ bonds.length - MOST.bonds }} that bear less
    </p>

    <template v-if="story.length">
      <h4>What became of it</h4>
      <MomentRow v-for="(e, k) in story.slice(0, MOST.events)" :key="k" v-bind="e" @click="emit('seek', e.first)" />
      <p v-if="story.length > MOST.events" class="mute small">and {{ story.length - MOST.events }} more</p>
    </template>
  </Section>
</template>

<style scoped>
.head,
.row,
.ends {
  display: flex;
  justify-content: space-between;
  align-items: center;
  gap: 8px;
}
.small {
  font-size: 12px;
}
.lane {
  position: relative;
  height: 10px;
  background: var(--basalt-3);
  border-radius: 2px;
  overflow: hidden;
  cursor: ew-resize;
  touch-action: none;
}
.plot {
  height: 56px;
  margin-top: 6px;
}
.plot svg {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
}
.plot path {
  fill: none;
  stroke: var(--accent);
  stroke-width: 1.5;
  vector-effect: non-scaling-stroke;
}
.plot .full {
  stroke: var(--ember);
  stroke-dasharray: 4 3;
  vector-effect: non-scaling-stroke;
}
.now {
  position: absolute;
  top: 0;
  bottom: 0;
  width: 1px;
  background: var(--chalk);
}
.span {
  position: absolute;
  top: 2px;
  bottom: 2px;
  background: var(--soft);
  border-radius: 1px;
}
.named {
  display: grid;
  grid-template-columns: 84px 1fr;
  align-items: center;
  gap: 8px;
  height: 20px;
  font-size: 12px;
}
.named > span {
  display: flex;
  gap: 4px;
  align-items: center;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
h4 {
  margin: 12px 0 4px;
  font-size: 12px;
  font-weight: 600;
  color: var(--soft);
}
.bond {
  margin-bottom: 6px;
}
.bond .row {
  font-size: 12px;
}
</style>
