<script setup lang="ts">
/** The view: joins the stores to the stage, and draws the compass, scale bar, labels and legend over it. */
import { ElButton } from "element-plus";
import { useElementSize } from "@vueuse/core";
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from "vue";
import { useBrush } from "../composables/useBrush";
import { useDrawnLines } from "../composables/useDrawnLines";
import { useFraming } from "../composables/useFraming";
import { useHandles } from "../composables/useHandles";
import { useLabels } from "../composables/useLabels";
import { usePainting } from "../composables/usePainting";
import { usePicking } from "../composables/usePicking";
import { usePieceCard } from "../composables/usePieceCard";
import { useReaches } from "../composables/useReaches";
import { useRopePoints } from "../composables/useRopePoints";
import { useSettling } from "../composables/useSettling";
import { useSurfaces } from "../composables/useSurfaces";
import { useSnapping } from "../composables/useSnapping";
import { useShown, type Shown } from "../composables/useShown";
import { useTieMarks } from "../composables/useTieMarks";
import { lengthOf, segmentsFor } from "../lib/line";
import { partsOf, pieceFigures } from "../lib/pieces";
import { showLength } from "../lib/units";
import type { Vec } from "../lib/rotation";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useView, type Sight, type Step } from "../stores/view";
import { drawArrows } from "../viewport/arrows";
import { SLANT, Stage } from "../viewport/Stage";
import Glyph from "./Glyph.vue";
import ViewCorner from "./ViewCorner.vue";
import ViewLegend from "./ViewLegend.vue";

const emit = defineEmits<{ files: [files: File[]] }>();
const shot = useShot();
const pieces = usePieces();
const survey = useSurvey();
const view = useView();
const host = ref<HTMLElement | null>(null);
const { width: wide } = useElementSize(host);
/** pixels that the card of a piece takes at most */
const CARD_WIDE = 330;
const stage = shallowRef<Stage | null>(null);
const azimuth = ref(0);
const metresPerPixel = ref(0.0125);
const dropping = ref(false);
/** letters at the ends of the handles */
const tips = ref<{ axis: string; x: number; y: number }[]>([]);
/** steps in which the piece under the pointer says its numbers */
const HOVERS: Step[] = ["break", "bind", "drive", "run"];

const { inTake, time, shown, missing, frame, before } = useShown();
const chosenThing = computed<Shown | undefined>(() => shown.value.find((s) => s.name === view.thing));
const deepest = computed(() => Math.max(0, ...shown.value.map((s) => pieceFigures(partsOf(s.packed)).tiers)));
const { size, fit, fitOnce, cutOpen } = useFraming(stage, shown, missing, chosenThing, inTake);
const { snapped } = useSnapping(stage, shown);
const { placeHandles, onMove, putField } = useHandles(stage, inTake, time, snapped);
const { box, locate, onPick, onBox, onSurface } = usePicking(stage, shown, chosenThing, putField);
const { card, hovered, pointer, placeCard } = usePieceCard(stage, inTake, frame, locate);
const { labels, placeLabels } = useLabels(stage, inTake);
const { tieTags, drawTiesNow, placeTieTags, chooseTie } = useTieMarks(stage, shown, inTake, time, frame, size);
const { paintPieces } = usePainting(stage, shown, inTake, frame, before);
const { paintSurfaces } = useSurfaces(stage, shown, inTake, frame, before);
const { drawLines } = useDrawnLines(stage, inTake, chosenThing);
const { reaches } = useReaches(inTake);
const { dots, placeDots, drag, takeOut } = useRopePoints(stage, chosenThing, inTake, onSurface);
const { ring, brushing } = useBrush(stage, chosenThing, inTake, () => paintSurfaces());

function repaint(): void {
  if (!stage.value) return;
  const fresh = paintPieces();
  paintSurfaces();
  if (!stage.value.dragging) fitOnce();
  if (fresh) {
    if (begin) stage.value.view = begin; // after the first look at all of it
    if (!missing.value) begin = null;
  }
  drawLines();
  drawTiesNow();
  placeDots();
  stage.value.invalidate();
}

/** What lies over the picture goes where its things are drawn. */
function placeOverlays(): void {
  placeLabels();
  placeTieTags();
  placeDots();
  placeCard();
  tips.value = stage.value?.handleTips() ?? [];
}

/** What the chosen field would do: arrows from the middles of pieces, and over bodies of few pieces. */
function drawArrowsNow(): void {
  const s = stage.value!;
  const pulls = survey.result?.arrows ?? [];
  const on = !inTake.value && view.arrows && view.selection?.kind === "field" && pulls.length === s.batch.count;
  const spread = survey.result?.spread ?? [];
  const all = [...pulls, ...spread.map((x) => x.slice(3))];
  const from = (k: number): Vec =>
    k < pulls.length ? s.batch.placeOf(k) : (spread[k - pulls.length]!.slice(0, 3) as unknown as Vec);
  const drawn = on ? drawArrows(all, from, 0.18 * size.value) : null;
  s.arrows.set(drawn && drawn.ends.length ? drawn.ends : null, drawn?.colors);
}

function showFields(): void {
  stage.value?.setReaches(reaches());
  stage.value?.showHeld(!inTake.value && (view.step === "drive" || view.step === "bind"));
  stage.value?.applyTheme();
  if (stage.value) drawArrowsNow();
  placeHandles();
  placeOverlays();
}

function onCamera(angle: number, now: number): void {
  azimuth.value = angle;
  metresPerPixel.value = now;
  placeOverlays();
}

/** The chosen rope goes through the points that were clicked, by steps as long as it had. */
function drawn(): void {
  const points = view.drawing!;
  const name = view.thing!;
  view.drawing = null;
  shot.editBody(
    name,
    `draw ${name}`,
    (b) => {
      if (b.shape.kind !== "line") return;
      b.shape.points = points;
      b.shape.segments = segmentsFor(points);
      Object.assign(b.place, { position: [0, 0, 0], rotation: [0, 0, 0, 1], angles: null, scale: [1, 1, 1] });
    },
    true,
  );
}

function onDrop(event: DragEvent): void {
  dropping.value = false;
  emit("files", [...(event.dataTransfer?.files ?? [])]);
}

const { now: settling, cancel: stopSettling } = useSettling();
const building = computed(() => [
  ...[...pieces.progress.entries()].map(([name, p]) => ({
    what: `building ${name}`,
    ...p,
    stop: () => pieces.cancel(name),
  })),
  ...(settling.value
    ? [{ what: `${settling.value.name} settles`, ...settling.value, stop: () => void stopSettling() }]
    : []),
]);

onMounted(() => {
  stage.value = new Stage(host.value!, {
    onPick,
    onMove,
    onCamera,
    onBox,
    onHover: (p, at) => {
      hovered.value = p;
      pointer.value = at;
      placeCard();
    },
    onBrush: brushing,
  });
  stage.value.applyTheme();
  fit(false, "all", SLANT);
  repaint();
  showFields();
});
onBeforeUnmount(() => stage.value?.dispose());

watch(
  [
    shown,
    () => shot.document,
    () => survey.result,
    () => view.colorBy,
    () => view.map,
    () => view.theme,
    () => view.chosen,
    () => view.hidden,
    () => view.piece,
    () => view.step,
    () => view.bonds,
    () => view.marks,
    () => view.seams,
    () => view.seamColor,
    () => pieces.seams.get(chosenThing.value?.name ?? ""),
    () => pieces.seamLoads.get(chosenThing.value?.name ?? ""),
    () => view.weighing,
    inTake,
    () => view.shapes,
    () => shot.ties,
    () => pieces.shapes.get(chosenThing.value?.name ?? ""),
    () => pieces.strengths.get(chosenThing.value?.name ?? ""),
    () => pieces.weights.get(chosenThing.value?.name ?? ""),
  ],
  () => {
    repaint();
    cutOpen();
    showFields();
  },
);
watch(
  [() => view.explode, () => view.picked],
  () => {
    repaint();
    placeCard();
  },
  { deep: true },
);
watch([() => view.section], cutOpen, { deep: true });
watch([() => view.wire, shown], () => {
  stage.value?.batch.showWire(view.wire);
  stage.value?.invalidate();
});
watch(
  [() => view.step],
  () => {
    hovered.value = -1;
    view.placing = null;
    if (stage.value) stage.value.hovering = HOVERS.includes(view.step);
  },
  { immediate: true },
);
watch([stage], () => {
  if (stage.value) stage.value.hovering = HOVERS.includes(view.step);
});
watch(
  [chosenThing, () => view.step, () => view.bonds, () => view.shapes, () => view.colorBy, () => shot.document],
  () => {
    const thing = chosenThing.value;
    if (!thing || inTake.value) return;
    if (view.step === "bind" || view.bonds !== "hidden" || view.colorBy === "strength")
      void pieces.loadStrengths(thing);
    if (view.shapes) void pieces.loadShapes(thing);
    if (view.bonds === "weight") void pieces.loadWeights(thing, shot.document!);
  },
);
watch([() => view.frame, frame, before], () => {
  if (inTake.value) {
    repaint();
    placeCard();
  }
});
watch([() => view.layer, () => view.arrows], showFields);
watch([() => view.handle, () => view.tieEnd, () => view.placing, () => view.axes], placeHandles);
watch([() => view.theme, () => shot.document?.ground], () => {
  stage.value?.applyTheme();
  showFields();
});
/** Everything, or what is chosen. */
const bring = (what: Sight): void => fit(true, what);
watch([() => view.wanted, frame], () => {
  if (!view.wanted) return;
  const what = view.wanted;
  view.wanted = null;
  requestAnimationFrame(() => bring(what)); // after the frame is painted
});
/** The camera's place to begin with, where a shot was open before. */
let begin: number[] | null = null;
function look(camera: number[]): void {
  begin = camera;
  if (stage.value) stage.value.view = camera;
}
defineExpose({ bring, look, camera: () => stage.value?.view ?? [] });
</script>

<template>
  <div
    class="view"
    :class="{ dropping }"
    @dragover.prevent="dropping = true"
    @dragleave="dropping = false"
    @drop.prevent.stop="onDrop">
    <div ref="host" class="host" data-testid="view" />
    <ViewLegend :in-take="inTake" :deepest="deepest" />
    <div
      v-for="l in labels"
      :key="l.name"
      class="tag"
      :class="{ chosen: l.chosen }"
      :style="{ left: `${l.x}px`, top: `${l.y}px`, color: l.color }">
      {{ l.name }} <span>{{ l.text }}</span>
    </div>
    <ElButton
      v-for="t in tieTags"
      :key="t.name + t.end"
      class="bare tie"
      :class="{ through: view.placing, chosen: t.chosen, end: t.chosen && view.tieEnd === t.end }"
      :style="{ left: `${t.x}px`, top: `${t.y}px` }"
      v-hint="`${t.name}: ${t.kind}`"
      :data-testid="`tie-${t.name}`"
      @click="chooseTie(t.name, t.end)">
      <Glyph :name="t.kind" :size="13" />
    </ElButton>
    <button
      v-for="d in dots"
      :key="`${d.k}${d.between}`"
      type="button"
      class="dot"
      :class="{ between: d.between }"
      :style="{ left: `${d.x}px`, top: `${d.y}px` }"
      v-hint="
        d.between
          ? 'Drag to put a point in here'
          : 'Drag to move it; with Shift it lies on bodies and the ground. Twice: take it out'
      "
      :data-testid="d.between ? `rope-between-${d.k}` : `rope-point-${d.k}`"
      @pointerdown.stop="drag(d, $event)"
      @dblclick="takeOut(d)" />
    <b v-for="t in tips" :key="t.axis" class="axis figures" :style="{ left: `${t.x}px`, top: `${t.y}px` }">{{
      t.axis
    }}</b>
    <p v-if="view.placing" class="placing" role="status">
      {{ view.placing.note
      }}{{
        view.placing.point
          ? "Click where the string's other end goes: a body, or the ground"
          : `Click on a body where the ${view.placing.kind} goes`
      }}
      <ElButton link @click="view.placing = null">not now</ElButton>
    </p>
    <p v-if="view.drawing" class="placing" role="status" data-testid="drawing">
      Click where the rope goes: on bodies, or on the ground · {{ view.drawing.length }}
      {{ view.drawing.length === 1 ? "point" : "points" }}, {{ showLength(lengthOf(view.drawing)) }}
      <ElButton link :disabled="view.drawing.length < 2" data-testid="drawn" @click="drawn">done</ElButton>
      <ElButton link @click="view.drawing = null">not now</ElButton>
    </p>
    <p v-if="view.placingField" class="placing" role="status">
      Click where {{ view.selection?.name }} goes: on a body, or on the ground
      <ElButton link @click="view.placingField = false">not now</ElButton>
    </p>
    <i
      v-if="ring"
      class="brush"
      data-testid="brush"
      :style="{
        left: `${ring.x}px`,
        top: `${ring.y}px`,
        width: `${2 * ring.radius}px`,
        height: `${2 * ring.radius}px`,
      }" />
    <div
      v-if="card"
      class="card figures"
      :class="{ left: card.x > wide - CARD_WIDE, below: card.y < 90 }"
      data-testid="piece-card"
      :style="{ left: `${card.x}px`, top: `${card.y}px` }">
      <p v-for="line in card.lines" :key="line">{{ line }}</p>
    </div>
    <div
      v-if="box"
      class="box"
      :style="{ left: `${box.x}px`, top: `${box.y}px`, width: `${box.w}px`, height: `${box.h}px` }" />
    <ViewCorner
      :azimuth="azimuth"
      :metres-per-pixel="metresPerPixel"
      :now="() => stage?.view ?? []"
      @bring="bring"
      @look-from="(d) => stage?.lookFrom(d)"
      @go="(v) => stage && (stage.view = v)" />
    <div v-if="building.length" class="busy" data-testid="building">
      <p v-for="b in building" :key="b.what">
        <span>{{ b.what }}</span><i><u :style="{ width: `${b.share * 100}%` }" /></i
        ><b class="figures">{{ b.left === null ? "…" : `${Math.max(1, Math.round(b.left))} s left` }}</b
        ><ElButton link @click="b.stop()">stop</ElButton>
      </p>
    </div>
    <div v-if="dropping" class="dropnote">Drop OBJ, STL, PLY, GLB or USD</div>
    <slot />
  </div>
</template>

<style scoped>
.view {
  height: 100%;
  position: relative;
  overflow: hidden;
  background: radial-gradient(120% 90% at 50% 20%, var(--view-top), var(--view-bottom));
  min-width: 0;
  min-height: 0;
}
.host {
  position: absolute;
  inset: 0;
}
.host :deep(canvas) {
  display: block;
  outline: none;
  touch-action: none;
}
.tag {
  background: color-mix(in srgb, var(--basalt-0) 72%, transparent);
  border-radius: 10px;
  padding: 1px 8px;
  position: absolute;
  transform: translate(-50%, -100%);
  font-weight: 600;
  font-size: 12px;
  pointer-events: none;
  white-space: nowrap;
  text-shadow:
    0 1px 3px var(--basalt-0),
    0 0 2px var(--basalt-0);
}
.tag span {
  font-weight: 400;
}
.tag:not(.chosen) {
  opacity: 0.8;
}
.tie {
  position: absolute;
  transform: translate(-50%, -50%);
  width: 22px;
  height: 22px;
  border-radius: 50%;
  border: 1px solid var(--lichen);
  background: color-mix(in srgb, var(--basalt-0) 78%, transparent);
  color: var(--lichen);
  display: grid;
  place-items: center;
  padding: 0;
  cursor: pointer;
}
.tie.through {
  pointer-events: none;
  opacity: 0.5;
}
.tie.chosen {
  border-color: var(--accent);
  color: var(--accent);
}
.tie.end {
  transform: translate(10px, -30px);
}
.dot {
  position: absolute;
  transform: translate(-50%, -50%);
  width: 11px;
  height: 11px;
  padding: 0;
  border-radius: 50%;
  border: 1.5px solid var(--basalt-0);
  background: var(--accent);
  cursor: grab;
}
.dot.between {
  width: 8px;
  height: 8px;
  opacity: 0.55;
}
.dot.between:hover {
  opacity: 1;
}
.axis {
  position: absolute;
  translate: -50% -50%;
  font-size: 11px;
  color: var(--chalk);
  text-shadow: 0 0 3px var(--basalt-0);
  pointer-events: none;
}
.placing {
  pointer-events: none;
  position: absolute;
  left: 50%;
  bottom: 46px;
  transform: translateX(-50%);
  background: var(--basalt-1);
  border: 1px solid var(--accent);
  border-radius: var(--radius);
  padding: 6px 14px;
  white-space: nowrap;
}
.placing :deep(button) {
  pointer-events: auto;
}
.brush {
  position: absolute;
  transform: translate(-50%, -50%);
  border: 1.5px solid var(--accent);
  border-radius: 50%;
  pointer-events: none;
}
.card {
  position: absolute;
  transform: translate(14px, calc(-100% - 10px));
  background: var(--basalt-0);
  border: 1px solid var(--line-strong);
  border-radius: var(--radius);
  padding: 5px 9px;
  pointer-events: none;
  white-space: nowrap;
}
.card.left {
  transform: translate(calc(-100% - 14px), calc(-100% - 10px));
}
.card.below {
  transform: translate(14px, 14px);
}
.card.left.below {
  transform: translate(calc(-100% - 14px), 14px);
}
.box {
  position: absolute;
  border: 1px solid var(--accent);
  background: color-mix(in srgb, var(--accent) 12%, transparent);
  pointer-events: none;
}
.busy {
  position: absolute;
  left: 50%;
  top: 12px;
  transform: translateX(-50%);
  background: var(--basalt-1);
  border: 1px solid var(--line-strong);
  padding: 5px 14px;
  border-radius: var(--radius);
  color: var(--soft);
}
.busy p {
  display: grid;
  grid-template-columns: auto 120px 74px auto;
  align-items: center;
  gap: 10px;
}
.busy span {
  white-space: nowrap;
}
.busy i {
  height: 5px;
  border-radius: 3px;
  background: var(--basalt-4);
  overflow: hidden;
  display: block;
}
.busy u {
  display: block;
  height: 100%;
  background: var(--accent);
}
.busy b {
  font-weight: 400;
  text-align: right;
}
.dropping {
  outline: 2px dashed var(--accent);
  outline-offset: -8px;
}
.dropnote {
  position: absolute;
  inset: 0;
  display: grid;
  place-items: center;
  font-size: 18px;
  color: var(--accent);
  pointer-events: none;
}
</style>
