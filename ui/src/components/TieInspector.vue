<script setup lang="ts">
/** A tie: what it joins, how, and the load at which it gives way. */
import { ElButton } from "element-plus";
import { computed } from "vue";
import type { Tie, TieKind } from "../api/types";
import { newTie, tieKinds, TIES } from "../lib/document";
import type { Vec } from "../lib/rotation";
import { showNumber } from "../lib/units";
import { boundsOf } from "../lib/bounds";
import { nearestEdge, overLayer } from "../lib/edges";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import ChoiceRow from "../controls/ChoiceRow.vue";
import Glyph from "./Glyph.vue";
import ReachEditor from "./ReachEditor.vue";
import NameField from "../controls/NameField.vue";
import NumberRow from "../controls/NumberRow.vue";
import VectorField from "../controls/VectorField.vue";
import Section from "../controls/Section.vue";
import Choices from "../controls/Choices.vue";
import PickRow from "../controls/PickRow.vue";
import SwitchRow from "../controls/SwitchRow.vue";
import DirectionField from "../controls/DirectionField.vue";
import { say } from "../lib/words";

const props = defineProps<{ tie: Tie }>();
const shot = useShot();
const takes = useTakes();
const view = useView();
const pieces = usePieces();
const DEG = 180 / Math.PI;
const kinds = computed(() => tieKinds(shot.bodies, shot.groups));
const how = computed(() => props.tie.how);
const hinge = computed(() => (how.value.kind === "hinge" ? how.value : null));
const apart = computed(() =>
  Math.hypot(...props.tie.point.map((x, k) => x - (props.tie.to_point ?? props.tie.point)[k]!)),
);
const gaveWay = computed(() => takes.events.find((e) => e.kind === "tie_broken" && e.tie === props.tie.name));
const edit = (what: string, change: (t: Tie) => void): void =>
  shot.editTie(props.tie.name, `${what} of ${props.tie.name}`, change);
const editHow = (what: string, change: (h: Record<string, unknown>) => void): void =>
  edit(what, (t) => change(t.how as Record<string, unknown>));

function setKind(kind: TieKind): void {
  if (kind === how.value.kind) return;
  edit("kind", (t) => {
    const fresh = newTie(
      kind,
      t.name,
      t.body,
      t.point as Vec,
      t.to,
      (t.to_point ?? [t.point[0], t.point[1] + 1, t.point[2]]) as Vec,
    );
    t.how = fresh.how;
    t.to_point = fresh.to_point;
  });
}

const sewn = computed(() => (how.value.kind === "sewn" ? how.value : null));
/** where it is sewn: everywhere near, about the point, along the side the point is nearest to, or otherwise */
const where = computed(() => {
  const reach = sewn.value?.reach;
  const kind = reach?.layers?.length === 1 && !reach.use ? reach.layers[0]!.shape.kind : "";
  return !reach ? "all" : kind === "sphere" ? "region" : kind === "box" ? "edge" : "own";
});
const WHERE = [
  ["all", "all of it"],
  ["region", "a region"],
  ["edge", "an edge"],
] as const;

function sew(kind: string): void {
  const body = shot.bodies.find((b) => b.name === props.tie.body);
  if (!body) return;
  const point = props.tie.point as Vec;
  const { lo, hi } = boundsOf(body, pieces.packedOf(body.name));
  const core = Number((0.1 * Math.max(0.1, ...hi.map((x, k) => x - lo[k]!))).toPrecision(2));
  const shape =
    kind === "region" ? { kind: "sphere", center: [...point], core, edge: 0, ride: null } : nearestEdge(point, lo, hi);
  const reach = kind === "all" ? null : { layers: [overLayer(shape)], use: null, strength: 1, limits: [0, 1] };
  editHow("where", (h) => (h.reach = reach));
}

function rename(name: string): void {
  edit("name", (t) => (t.name = name));
  view.select({ kind: "tie", name });
}

function remove(): void {
  view.select(null);
  shot.removeAll([{ kind: "tie", name: props.tie.name }]);
}
</script>

<template>
  <div class="section">
    <header>
      <span class="title"
        ><Glyph :name="how.kind" /><NameField
          :name="tie.name"
          :taken="shot.ties.map((t) => t.name)"
          @rename="rename" /></span
      ><span>tie · {{ TIES[how.kind] }}</span>
    </header>
    <p v-if="gaveWay" class="figures note" data-testid="tie-gave-way">
      gave way at f {{ gaveWay.frame }}: {{ showNumber(gaveWay.load!, 3) }} kN of {{ showNumber(gaveWay.strength!, 3) }}
    </p>
    <SwitchRow
      label="acts"
      :hint="say('Tie.on')"
      :model-value="!!tie.on"
      @update:model-value="(v) => edit('switch', (t) => (t.on = v))" />
    <Choices
      label="kind"
      class="kinds"
      :options="kinds.map((k) => [k, k, TIES[k]] as const)"
      :model-value="how.kind"
      @update:model-value="setKind" />
  </div>
  <Section title="Joins">
    <PickRow
      label="body"
      :hint="say('Tie.body')"
      id="tie-body"
      :options="shot.bodies.map((b) => [b.name, b.name, undefined, b.name === tie.to] as const)"
      :model-value="tie.body"
      @update:model-value="(v) => edit('body', (t) => (t.body = v))" />
    <PickRow
      label="to"
      :hint="say('Tie.to')"
      id="tie-to"
      :options="[
        ['', 'the world'],
        ...shot.bodies.map((b) => [b.name, b.name, undefined, b.name === tie.body] as const),
      ]"
      :model-value="tie.to ?? ''"
      @update:model-value="(v) => edit('other body', (t) => (t.to = v || null))" />
    <div class="stack">
      <label>point</label
      ><VectorField
        label="point"
        unit="m"
        :model-value="tie.point"
        @update:model-value="(v) => edit('point', (t) => (t.point = v))" />
    </div>
    <div v-if="tie.to_point" class="stack">
      <label>other end</label
      ><VectorField
        label="other end"
        unit="m"
        :model-value="tie.to_point"
        @update:model-value="(v) => edit('other end', (t) => (t.to_point = v))" />
    </div>
    <SwitchRow
      v-if="tie.to"
      label="they touch"
      hint="whether the two also collide, or pass through each other"
      :model-value="!!tie.collide"
      @update:model-value="(v) => edit('collision', (t) => (t.collide = v))" />
  </Section>
  <Section v-if="how.kind === 'string'" title="Length" :note="`ends ${showNumber(apart, 3)} m apart`">
    <ChoiceRow
      label="length"
      :hint="say('StringTie.length')"
      :options="
        [
          ['start', 'as placed'],
          ['own', 'own'],
        ] as const
      "
      :model-value="how.length ? 'own' : 'start'"
      @update:model-value="
        (v) => editHow('length', (h) => (h.length = v === 'own' ? Number(apart.toPrecision(4)) || 1 : null))
      " />
    <NumberRow
      v-if="how.length"
      label="length"
      :hint="say('StringTie.length')"
      unit="m"
      :min="0.0001"
      :model-value="how.length"
      @update:model-value="(v) => editHow('length', (h) => (h.length = v))" />
  </Section>
  <Section v-if="sewn" title="Stitches" note="a vertex each">
    <NumberRow
      label="within"
      unit="m"
      :hint="say('SewnTie.within')"
      :min="0.0001"
      :max="10"
      :initial="0.05"
      :model-value="sewn.within!"
      @update:model-value="(v) => editHow('stitches', (h) => (h.within = v))" />
    <ChoiceRow
      label="where"
      :hint="say('SewnTie.reach')"
      ids="sewn-"
      :options="WHERE"
      :model-value="where"
      @update:model-value="sew" />
    <ReachEditor
      v-if="sewn.reach"
      label="sewn"
      world
      :model-value="sewn.reach as never"
      @update:model-value="(v) => editHow('where', (h) => (h.reach = v))" />
  </Section>
  <Section v-if="hinge" title="Turning">
    <div class="stack">
      <label>axis</label
      ><DirectionField
        label="axis"
        :model-value="hinge.axis!"
        @update:model-value="(v) => editHow('axis', (h) => (h.axis = v))" />
    </div>
    <ChoiceRow
      label="limits"
      :hint="say('HingeTie.limits')"
      :options="
        [
          ['free', 'none'],
          ['set', 'between'],
        ] as const
      "
      :model-value="hinge.limits ? 'set' : 'free'"
      @update:model-value="
        (v) => editHow('limits', (h) => (h.limits = v === 'set' ? [-Math.PI / 4, Math.PI / 4] : null))
      " />
    <template v-if="hinge.limits">
      <NumberRow
        label="least"
        :hint="say('HingeTie.limits')"
        unit="°"
        :min="-720"
        :max="0"
        :model-value="Number((hinge.limits[0] * DEG).toFixed(3))"
        @update:model-value="(v) => editHow('limits', (h) => (h.limits = [v / DEG, hinge!.limits![1]]))" />
      <NumberRow
        label="most"
        :hint="say('HingeTie.limits')"
        unit="°"
        :min="0"
        :max="720"
        :model-value="Number((hinge.limits[1] * DEG).toFixed(3))"
        @update:model-value="(v) => editHow('limits', (h) => (h.limits = [hinge!.limits![0], v / DEG]))" />
    </template>
    <NumberRow
      label="friction"
      :hint="say('HingeTie.friction')"
      unit="N m"
      :min="0"
      :initial="0"
      :model-value="hinge.friction!"
      @update:model-value="(v) => editHow('friction', (h) => (h.friction = v))" />
  </Section>
  <Section title="Strength">
    <ChoiceRow
      label="gives way"
      :hint="say('Tie.breaks')"
      :options="
        [
          ['never', 'never'],
          ['at', 'at a load'],
        ] as const
      "
      :model-value="tie.breaks ? 'at' : 'never'"
      @update:model-value="(v) => edit('strength', (t) => (t.breaks = v === 'at' ? 10 : null))" />
    <NumberRow
      v-if="tie.breaks"
      label="load"
      :hint="say('Tie.breaks')"
      unit="kN"
      :min="0.000001"
      :model-value="tie.breaks"
      @update:model-value="(v) => edit('strength', (t) => (t.breaks = v))" />
  </Section>
  <div class="section">
    <ElButton class="wide" @click="remove">Delete {{ tie.name }}</ElButton>
  </div>
</template>

<style scoped>
.title {
  display: flex;
  gap: 7px;
  align-items: center;
  min-width: 0;
  color: var(--lichen);
}
.section header .title {
  color: var(--lichen);
  font-size: 13.5px;
}
.kinds {
  margin-top: 6px;
}
.stack {
  margin: 6px 0;
}
.stack label {
  display: block;
  color: var(--soft);
  margin-bottom: 3px;
}
</style>
