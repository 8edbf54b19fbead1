<script setup lang="ts">
/** What holds vertices of a body that deforms, what draws them back, and numbers that differ over it. */
import { ElButton } from "element-plus";
import { computed } from "vue";
import type { Body, FieldItem } from "../api/types";
import { boundsOf } from "../lib/bounds";
import { edgeBox, overLayer as layer, type Edge } from "../lib/edges";
import { blank, type Part } from "../lib/strokes";
import { say } from "../lib/words";
import type { Vec } from "../lib/rotation";
import { usePieces } from "../stores/pieces";
import { useShot, type Thing } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { chosenFalloff } from "../steps/newField";
import { useView } from "../stores/view";
import ChoiceRow from "../controls/ChoiceRow.vue";
import NumberRow from "../controls/NumberRow.vue";
import PickRow from "../controls/PickRow.vue";
import Section from "../controls/Section.vue";
import ListedPart from "./ListedPart.vue";
import ReachEditor from "./ReachEditor.vue";
import WeightTools from "./WeightTools.vue";

type Reach = FieldItem["reach"];
const props = defineProps<{ thing: Thing }>();
const shot = useShot();
const pieces = usePieces();
const survey = useSurvey();
const view = useView();
const body = computed(() => props.thing.body);
/** What pins do: an active body is held by them, as they are by it. */
const pinnedTo = (name?: string | null): string => {
  if (!name) return "stay where they are";
  const active = carriers.value.find((b) => b.name === name)?.role === "active";
  return active ? `hold ${name}, and it them` : `ride on ${name}`;
};
const carriers = computed(() => shot.bodies.filter((b) => b.matter.kind === "rigid" && b.name !== props.thing.name));
const pinned = computed(() => survey.result?.vertices[props.thing.name]);
const EDGES: readonly (readonly [Edge, string])[] = [
  ["top", "top"],
  ["foot", "foot"],
  ["left", "left"],
  ["right", "right"],
  ["corners", "corners"],
  ["ends", "ends"],
];
const WEIGHTS = [
  ["stiffness", "stiffness", "against stretch, shear and bending"],
  ["thickness", "thickness", "that contacts keep"],
  ["strength", "strength", "at which it tears, breaks, or its seams open"],
] as const;

const edit = (what: string, change: (b: Body) => void): void =>
  shot.editBody(props.thing.name, `${what} of ${props.thing.name}`, change);

function drop(part: Part, k: number): void {
  view.painting = view.weighing = null;
  edit(part, (b) => b[part].splice(k, 1));
}

/** Something to be painted by hand: the brush is taken at once. */
function byHand(part: Part, more: object): void {
  const k = body.value[part].length;
  edit(part, (b) => (b[part] as object[]).push({ reach: blank(b.place), ...more }));
  view.showing = "set-up";
  view.painting = view.weighing = { part, k };
}

/** The box round it as it opens. */
const bounds = (): { lo: Vec; hi: Vec } => boundsOf(body.value, pieces.packedOf(props.thing.name));

const reachOf = (layers: object[]): Reach =>
  (chosenFalloff(view)
    ? { layers: [], use: chosenFalloff(view), strength: 1, limits: [0, 1] }
    : { layers, use: null, strength: 1, limits: [0, 1] }) as Reach;
function pin(edge: Edge): void {
  const { lo, hi } = bounds();
  edit("pins", (b) => b.pins.push({ reach: reachOf(edgeBox(edge, lo, hi).map(layer)), cut: 0.5, to: null } as never));
}

/** A sphere over all of it, softening outwards. */
function over(): object[] {
  const { lo, hi } = bounds();
  const center = lo.map((x, k) => Number(((x + hi[k]!) / 2).toFixed(3)));
  const size = Math.max(0.1, ...hi.map((x, k) => x - lo[k]!));
  return [
    layer({
      kind: "sphere",
      center,
      core: Number((size * 0.25).toPrecision(2)),
      edge: Number((size * 0.5).toPrecision(2)),
      ride: null,
    }),
  ];
}
</script>

<template>
  <Section
    title="Pins"
    :note="pinned?.pinned.length ? `${pinned.pinned.length} of ${pinned.count} vertices` : 'none held'">
    <p class="row">
      <span class="label">pin its</span
      ><span class="words"
        ><ElButton
          v-for="[edge, word] in EDGES"
          :key="edge"
          size="small"
          :data-testid="`pin-${edge}`"
          @click="pin(edge)"
          >{{ word }}</ElButton
        ><ElButton
          v-if="!thing.group"
          size="small"
          v-hint="'Draw on it in the view where it is held'"
          data-testid="pin-painted"
          @click="byHand('pins', { cut: 0.5, to: null })"
          >by brush</ElButton
        ></span
      >
    </p>
    <ListedPart
      v-for="(p, k) in body.pins"
      :key="k"
      :title="pinnedTo(p.to)"
      hint="Let them go"
      data-testid="pins"
      @drop="drop('pins', k)">
      <PickRow
        label="to"
        :hint="say('Pins.to')"
        :options="[['', 'the world'], ...carriers.map((c) => [c.name, c.name] as const)]"
        :model-value="p.to ?? ''"
        @update:model-value="(to) => edit('pins', (b) => (b.pins[k]!.to = to || null))" />
      <ReachEditor
        label="held"
        world
        :model-value="p.reach as never"
        @update:model-value="(v) => edit('pins', (b) => (b.pins[k]!.reach = v as never))" />
      <WeightTools :thing="thing" part="pins" :k="k" :reach="p.reach as never" />
      <NumberRow
        label="held from"
        :hint="say('Pins.cut')"
        :min="0.01"
        :max="1"
        :initial="0.5"
        :model-value="p.cut!"
        @update:model-value="(v) => edit('pins', (b) => (b.pins[k]!.cut = v))" />
    </ListedPart>
  </Section>
  <Section title="Comes back" note="recall to where it was">
    <ListedPart
      v-for="(r, k) in body.recall"
      :key="k"
      :title="r.to ? `along with ${r.to}` : 'recall'"
      data-testid="recall"
      @drop="drop('recall', k)">
      <PickRow
        label="to"
        :hint="say('Recall.to')"
        :options="[['', 'where it was'], ...carriers.map((c) => [c.name, c.name] as const)]"
        :model-value="r.to ?? ''"
        @update:model-value="(to) => edit('recall', (b) => (b.recall[k]!.to = to || null))" />
      <NumberRow
        label="rate"
        unit="1/s"
        :hint="say('Recall.rate')"
        :min="0.01"
        :max="1000"
        :initial="2"
        :model-value="r.rate!"
        @update:model-value="(v) => edit('recall', (b) => (b.recall[k]!.rate = v))" />
      <ReachEditor
        label="where"
        world
        :model-value="r.reach as never"
        @update:model-value="(v) => edit('recall', (b) => (b.recall[k]!.reach = v as never))" />
      <WeightTools :thing="thing" part="recall" :k="k" :reach="r.reach as never" />
    </ListedPart>
    <ElButton
      class="wide"
      data-testid="add-recall"
      @click="edit('recall', (b) => b.recall.push({ reach: reachOf(over()), rate: 2 } as never))"
      >Draw it back to its place</ElButton
    ><ElButton v-if="!thing.group" link size="small" data-testid="recall-painted" @click="byHand('recall', { rate: 2 })"
      >or where you paint it</ElButton
    >
  </Section>
  <Section title="Weights" note="numbers that differ over it">
    <ListedPart v-for="(w, k) in body.weights" :key="k" :title="w.of" @drop="drop('weights', k)">
      <ChoiceRow
        label="of"
        :hint="say('VertexWeight.of')"
        :options="WEIGHTS"
        :model-value="w.of"
        @update:model-value="(of) => edit('weights', (b) => (b.weights[k]!.of = of))" />
      <NumberRow
        label="outside"
        unit="×"
        :hint="say('VertexWeight.low')"
        :min="0.001"
        :max="1000"
        :initial="1"
        :model-value="w.low!"
        @update:model-value="(v) => edit('weights', (b) => (b.weights[k]!.low = v))" />
      <NumberRow
        label="inside"
        unit="×"
        :hint="say('VertexWeight.high')"
        :min="0.001"
        :max="1000"
        :initial="4"
        :model-value="w.high!"
        @update:model-value="(v) => edit('weights', (b) => (b.weights[k]!.high = v))" />
      <ReachEditor
        label="where"
        world
        :model-value="w.reach as never"
        @update:model-value="(v) => edit('weights', (b) => (b.weights[k]!.reach = v as never))" />
      <WeightTools :thing="thing" part="weights" :k="k" :reach="w.reach as never" />
    </ListedPart>
    <ElButton
      class="wide"
      data-testid="add-weight"
      @click="
        edit('weights', (b) => b.weights.push({ of: 'stiffness', reach: reachOf(over()), low: 1, high: 4 } as never))
      "
      >Let a number differ</ElButton
    ><ElButton
      v-if="!thing.group"
      link
      size="small"
      data-testid="weight-painted"
      @click="byHand('weights', { of: 'stiffness', low: 1, high: 4 })"
      >or where you paint it</ElButton
    >
  </Section>
</template>

<style scoped>
.words {
  display: flex;
  flex-wrap: wrap;
  gap: 4px;
}
.words .el-button {
  margin: 0;
}
</style>
