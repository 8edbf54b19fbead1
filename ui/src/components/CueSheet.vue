<script setup lang="ts">
/** Below the view: transport, the run strip (what happened), and lanes: fields, keys and ties over time. */
import { ElButton, ElScrollbar } from "element-plus";
import { computed, ref } from "vue";
import { follow } from "../composables/useDrag";
import { useKeyLanes } from "../composables/useKeyLanes";
import { useTimeAxis } from "../composables/useTimeAxis";
import { barsOf, blows, cueOf, movedCue, type Bar } from "../lib/cues";
import { lanesOf, opens, type FieldLane, type Lane } from "../lib/lanes";
import { useShot } from "../stores/shot";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import Glyph from "./Glyph.vue";
import RunFigures from "./RunFigures.vue";
import RunStrip from "./RunStrip.vue";
import TransportBar from "./TransportBar.vue";

const shot = useShot();
const takes = useTakes();
const view = useView();
const emit = defineEmits<{ seek: [frame: number]; toggle: []; step: [by: number] }>();
const area = ref<HTMLElement | null>(null);
const NAMES = 188;

const doc = computed(() => (view.showing === "take" ? takes.document : shot.document) ?? shot.document);
const fps = computed(() => doc.value?.timing.fps ?? 24);
const total = computed(() =>
  view.showing === "take" && takes.current ? takes.current.frames_total : (doc.value?.timing.frames ?? 240),
);
const axis = useTimeAxis(area, total, fps);
const { x, frameAt, width, ticks, part } = axis;
const keys = useKeyLanes(area, axis, fps);
const { box } = keys;

const lanes = computed(() => (shot.document ? lanesOf(shot.document, view.foldedLanes, view.openLanes) : []));
const isChosen = (lane: Lane): boolean => view.chosen.some((c) => c.kind === lane.kind && c.name === lane.name);
/** first and last key of a lane, in frames */
const spanOf = (lane: Lane): [number, number] | null => {
  const times = keys.pegs(lane.id).map((k) => k.time * fps.value);
  return times.length ? [Math.min(...times), Math.max(...times)] : null;
};
/** the frame at which each tie gave way in the take shown */
const gaveWay = computed(
  () =>
    new Map(
      view.showing === "take"
        ? takes.events.flatMap((e) => (e.kind === "tie_broken" ? [[e.tie!, e.frame] as const] : []))
        : [],
    ),
);
/** hits that called a field in the take shown, in frames */
const called = (f: FieldLane["field"]): number[] =>
  f.cue.kind === "impact" && view.showing === "take"
    ? takes.events.filter((e) => e.kind === "cue" && e.field === f.name).map((e) => e.frame)
    : [];

function scrub(event: PointerEvent): void {
  emit("seek", frameAt(event));
  follow(event, (e) => emit("seek", frameAt(e)));
}

function press(event: PointerEvent): void {
  if (event.shiftKey) return keys.dragBox(event);
  keys.chosen.value = [];
  scrub(event);
}

/** Move a whole cue, or one end of a span. */
function dragCue(event: PointerEvent, field: FieldLane["field"], end: "all" | "start" | "end" = "all"): void {
  event.stopPropagation();
  view.select({ kind: "field", name: field.name });
  if (view.showing === "take") view.showing = "set-up";
  const before = structuredClone(cueOf(field));
  const from = frameAt(event);
  shot.hold();
  follow(
    event,
    (e) =>
      shot.editField(
        field.name,
        `cue of ${field.name}`,
        (f) => (f.cue = movedCue(before, (frameAt(e) - from) / fps.value, end, fps.value) as never),
      ),
    () => void shot.flush(),
  );
}

/** A span rises while it comes and falls while it goes. */
const spanPath = (b: Bar): string =>
  [
    `M${x(b.from)} 17`,
    `L${x(b.from + b.ease)} 8`,
    `H${x(Math.max(b.from + b.ease, b.to - b.out))}`,
    `L${x(b.to)} 17Z`,
  ].join("");

/** The playhead's label stays inside the strip. */
const labelShift = computed(() => Math.max(0, 26 - x(view.frame)) - Math.max(0, x(view.frame) + 26 - width.value));
const headShown = computed(() => view.frame >= axis.from.value && view.frame <= axis.to.value);
</script>

<template>
  <ElScrollbar
    tag="section"
    class="sheet"
    :class="{ folded: !view.sheetOpen }"
    aria-label="Cue sheet"
    @wheel="axis.onWheel">
    <div class="rows">
      <div class="left top">
        <TransportBar
          @seek="(frame: number) => emit('seek', frame)"
          @toggle="emit('toggle')"
          @step="(by: number) => emit('step', by)" />
        <RunFigures />
      </div>
      <div
        ref="area"
        class="top right"
        data-testid="timeline"
        v-hint="part ? 'Double-click to see the whole time again' : ''">
        <svg :width="width" height="66" class="strip" @pointerdown="scrub" @dblclick="axis.whole()">
          <g v-for="t in ticks" :key="t.text">
            <line :x1="t.at" :x2="t.at" y1="16" y2="66" class="tick" />
            <text
              :x="t.at > width - 36 ? t.at - 3 : t.at + 4"
              :text-anchor="t.at > width - 36 ? 'end' : 'start'"
              y="12">
              {{ t.text }}
            </text>
          </g>
          <RunStrip :x="x" :total="total" />
        </svg>
        <div
          v-if="box"
          class="box"
          :style="{ left: `${box.x}px`, top: `${box.y}px`, width: `${box.w}px`, height: `${box.h}px` }" />
      </div>
      <template v-if="view.sheetOpen">
        <template v-for="lane in lanes" :key="lane.id">
          <ElButton
            v-if="lane.kind === 'family'"
            class="bare family"
            :aria-expanded="!lane.folded"
            @click="view.foldLanes(lane.name)">
            <Glyph :name="lane.folded ? 'forth' : 'down'" :size="9" />{{ lane.name
            }}<span class="figures">{{ lane.count }}</span>
          </ElButton>
          <p v-else-if="lane.kind === 'channel'" class="number">{{ lane.name }}</p>
          <div v-else class="lane-left" :class="{ chosen: isChosen(lane) }">
            <ElButton
              class="bare lane-name"
              :class="{ chosen: isChosen(lane), off: lane.off }"
              :style="{ color: lane.color }"
              @click="
                (e: MouseEvent) =>
                  view.select({ kind: lane.kind, name: lane.name }, e.ctrlKey || e.metaKey || e.shiftKey)
              ">
              <Glyph :name="lane.glyph" :size="14" /><span class="word">{{ lane.name }}</span>
            </ElButton>
            <ElButton
              v-if="opens(shot.document!, lane)"
              class="bare open"
              :aria-expanded="view.openLanes.includes(lane.id)"
              v-hint="view.openLanes.includes(lane.id) ? 'All its keys on one lane' : 'A lane for each keyed number'"
              :data-testid="`open-lane-${lane.name}`"
              @click="view.openLane(lane.id)">
              <Glyph :name="view.openLanes.includes(lane.id) ? 'down' : 'forth'" :size="9" />
            </ElButton>
          </div>
          <svg v-if="lane.kind === 'family'" :width="width" height="20" class="family" @pointerdown="press" />
          <svg
            v-else-if="lane.kind === 'channel'"
            :width="width"
            height="20"
            class="lane"
            :style="{ color: lane.color }"
            :data-lane="lane.lane"
            :data-of="lane.of"
            @pointerdown="press">
            <path
              v-for="k in keys.pegs(lane.lane, lane.of)"
              :key="k.time"
              v-hint="`key of ${lane.name} at ${k.time} s · drag; Shift adds, Alt stretches`"
              :transform="`translate(${x(k.time * fps)} 10)`"
              d="M0 -6L3 -1.500L0 6L-3 -1.500Z"
              class="peg"
              :class="{ chosen: keys.isChosen(k) }"
              :data-testid="`peg-${lane.of}`"
              @pointerdown="keys.drag($event, k)" />
          </svg>
          <svg
            v-else
            :width="width"
            height="24"
            class="lane"
            :class="{ off: lane.off }"
            :style="{ color: lane.color }"
            :data-lane="lane.id"
            @pointerdown="press">
            <template v-if="lane.kind === 'field'">
              <template v-for="(b, k) in barsOf(lane.field, total, fps)" :key="`b${k}`">
                <path
                  v-hint="`${lane.name} acts from ${Number((b.from / fps).toFixed(3))} s · drag to move`"
                  :d="spanPath(b)"
                  class="span"
                  :class="{ grab: lane.glyph !== 'anchor' }"
                  :data-testid="k === 0 ? `cue-${lane.name}` : undefined"
                  @pointerdown="lane.glyph !== 'anchor' && dragCue($event, lane.field)" />
                <template v-if="lane.field.cue.kind === 'span' && lane.glyph !== 'anchor'">
                  <rect
                    :x="x(b.from) - 3"
                    y="6"
                    width="6"
                    height="12"
                    class="end"
                    @pointerdown="dragCue($event, lane.field, 'start')" />
                  <rect
                    v-if="lane.field.cue.end !== null"
                    :x="x(b.to) - 3"
                    y="6"
                    width="6"
                    height="12"
                    class="end"
                    @pointerdown="dragCue($event, lane.field, 'end')" />
                </template>
              </template>
              <path
                v-for="(t, k) in blows(lane.field, total, fps)"
                :key="`t${k}`"
                v-hint="`${lane.name} acts at ${Number((t / fps).toFixed(3))} s · drag to move`"
                :transform="`translate(${x(t)} 12)`"
                d="M-4 0L0 -9L4 0L0 9Z"
                class="blade"
                :data-testid="k === 0 ? `cue-${lane.name}` : undefined"
                @pointerdown="dragCue($event, lane.field)" />
              <text
                v-if="lane.field.cue.kind === 'impact' && lane.glyph !== 'anchor' && !called(lane.field).length"
                x="14"
                y="16"
                class="waits">
                waits for a hit above {{ lane.field.cue.above }} kN
              </text>
              <path
                v-for="t in called(lane.field)"
                :key="`c${t}`"
                :transform="`translate(${x(t)} 12)`"
                d="M-5 -5L0 0L5 -5M0 0V7"
                class="call" />
            </template>
            <template v-else-if="lane.kind === 'tie'">
              <rect
                :x="x(0)"
                y="10"
                :width="Math.max(0, x(gaveWay.get(lane.name) ?? total) - x(0))"
                height="4"
                rx="2"
                class="span" />
              <path
                v-if="gaveWay.has(lane.name)"
                v-hint="`${lane.name} gave way at frame ${gaveWay.get(lane.name)}`"
                :transform="`translate(${x(gaveWay.get(lane.name)!)} 12)`"
                d="M-4 -6L4 6M4 -6L-4 6"
                class="gave" />
            </template>
            <rect
              v-else-if="lane.kind !== 'falloff' && (lane.steady || spanOf(lane))"
              :x="x(lane.steady ? 0 : spanOf(lane)![0])"
              y="11"
              :width="
                Math.max(
                  0,
                  x(lane.steady ? total : Math.min(total, spanOf(lane)![1])) - x(lane.steady ? 0 : spanOf(lane)![0]),
                )
              "
              height="2"
              class="span" />
            <path
              v-for="(k, row) in keys.pegs(lane.id)"
              :key="`k${row}`"
              v-hint="`key of ${k.of || lane.name} at ${k.time} s · drag; Shift adds, Alt stretches`"
              :transform="`translate(${x(k.time * fps)} 12)`"
              d="M0 -7.500L3.500 -2L0 7.500L-3.500 -2Z"
              class="peg"
              :class="{ chosen: keys.isChosen(k) }"
              :data-testid="lane.kind === 'field' ? `peg-${lane.name}-${k.of}` : `key-${lane.name}-${row}`"
              @pointerdown="keys.drag($event, k)" />
          </svg>
        </template>
        <p v-if="!lanes.length" class="none mute">Fields, keys and ties get lanes here.</p>
      </template>
      <div v-if="headShown" class="head" :style="{ left: `${NAMES + x(view.frame)}px` }">
        <b class="figures" :style="{ transform: `translateX(calc(-50% + ${labelShift}px))` }">f {{ view.frame }}</b>
      </div>
    </div>
  </ElScrollbar>
</template>

<style scoped>
.sheet {
  background: var(--basalt-1);
  border-top: 1px solid var(--line);
  height: 100%;
}
.rows {
  position: relative;
  display: grid;
  grid-template-columns: v-bind("NAMES + 'px'") minmax(0, 1fr);
}
.top {
  position: sticky;
  top: 0;
  z-index: 3;
  background: var(--basalt-1);
}
.left {
  border-right: 1px solid var(--line);
}
.family {
  gap: 6px;
  height: 20px;
  padding: 0 12px;
  font-size: 11px;
  color: var(--mute);
  border-right: 1px solid var(--line);
}
.word {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.gave {
  stroke: var(--ember);
  stroke-width: 2;
}
.lane-left {
  display: flex;
  min-width: 0;
  border-right: 1px solid var(--line);
}
.lane-left.chosen {
  background: var(--basalt-3);
}
.open {
  width: 22px;
  height: 24px;
  justify-content: center;
  color: var(--mute);
}
.number {
  height: 20px;
  padding: 2px 12px 0 34px;
  font-size: 11.5px;
  color: var(--mute);
  border-right: 1px solid var(--line);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.lane-name {
  min-width: 0;
  display: flex;
  align-items: center;
  gap: 8px;
  height: 24px;
  width: 100%;
  padding: 0 12px;
  background: none;
  border: 0;
  font-weight: 600;
  font-size: 12px;
  cursor: pointer;
  text-align: left;
}
.off {
  opacity: 0.4;
}
.none {
  padding: 4px 12px;
  font-size: 12px;
}
.right {
  overflow: hidden;
  touch-action: none;
}
svg {
  display: block;
}
.strip {
  cursor: pointer;
}
.strip text {
  fill: var(--mute);
  font: 10.5px var(--figures);
}
.tick {
  stroke: var(--line);
}
.lane {
  border-bottom: 1px solid var(--basalt-2);
}
.span {
  fill: currentColor;
  opacity: 0.35;
}
.grab {
  cursor: ew-resize;
}
.end {
  fill: currentColor;
  cursor: col-resize;
  opacity: 0.9;
}
.peg {
  fill: var(--basalt-1);
  stroke: currentColor;
  stroke-width: 1.5;
  cursor: ew-resize;
}
.peg.chosen {
  fill: currentColor;
}
.call {
  fill: none;
  stroke: currentColor;
  stroke-width: 1.5;
}
.waits {
  fill: var(--mute);
  font: 11px var(--text);
}
.box {
  position: absolute;
  border: 1px solid var(--accent);
  background: color-mix(in srgb, var(--accent) 12%, transparent);
  pointer-events: none;
}
.blade {
  fill: currentColor;
  cursor: ew-resize;
  stroke: var(--basalt-1);
  stroke-width: 1;
}
.head {
  position: absolute;
  top: 0;
  bottom: 0;
  z-index: 4;
  width: 0;
  border-left: 2px solid var(--accent);
  margin-left: -1px;
  pointer-events: none;
}
.head b {
  position: sticky;
  display: inline-block;
  top: 0;
  background: var(--accent);
  color: var(--on-accent);
  font-weight: 600;
  font-size: 11px;
  padding: 0 6px;
  border-radius: 3px;
  white-space: nowrap;
}
</style>
