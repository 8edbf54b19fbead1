<script setup lang="ts">
/** How a group's members are laid out, and how they vary. */
import { computed } from "vue";
import type { Group, Layout } from "../api/types";
import { layoutCount, newLayout } from "../lib/document";
import type { Vec } from "../lib/rotation";
import { useShot } from "../stores/shot";
import ChoiceRow from "../controls/ChoiceRow.vue";
import NumberRow from "../controls/NumberRow.vue";
import ReachEditor from "./ReachEditor.vue";
import VectorField from "../controls/VectorField.vue";
import Section from "../controls/Section.vue";
import PickRow from "../controls/PickRow.vue";
import { say } from "../lib/words";

const props = defineProps<{ group: Group }>();
const shot = useShot();
const l = computed(() => props.group.layout);
const KINDS = [
  ["line", "line"],
  ["grid", "grid"],
  ["ring", "ring"],
  ["volume", "in a volume"],
  ["surface", "over a surface"],
] as const;
const DEG = 180 / Math.PI;

const edit = (what: string, change: (g: Group) => void): void =>
  shot.editGroup(props.group.name, `${what} of ${props.group.name}`, change);
const set = (key: string, value: unknown): void =>
  edit(key, (g) => ((g.layout as Record<string, unknown>)[key] = value));
const onto = computed(() => shot.bodies.map((b) => b.name));
type Inside = NonNullable<Extract<Layout, { kind: "volume" }>["inside"]>;
const wrap = (inside: Inside): never =>
  ({ layers: [{ shape: inside, profile: "smooth", invert: false, blend: "normal", opacity: 1 }] }) as never;
const tidy = (x: number): number => Number(x.toFixed(2));
</script>

<template>
  <Section title="Laid out" :note="`${layoutCount(l)} members`">
    <ChoiceRow
      label="as"
      :hint="say('Group.layout')"
      :options="KINDS"
      :model-value="l.kind"
      @update:model-value="(k) => k !== l.kind && edit('layout', (g) => (g.layout = newLayout(k, g.body, l)))" />
    <template v-if="l.kind === 'grid'">
      <div class="stack">
        <label>count</label
        ><VectorField
          label="count"
          whole
          :min="1"
          :model-value="l.count as Vec"
          @update:model-value="(v) => set('count', v)" />
      </div>
      <div class="stack">
        <label>step</label
        ><VectorField
          label="step"
          unit="m"
          :min="0.001"
          :model-value="l.step as Vec"
          @update:model-value="(v) => set('step', v)" />
      </div>
    </template>
    <NumberRow
      v-else
      label="count"
      hint="how many members there are"
      whole
      :min="1"
      :max="2000"
      :model-value="l.count as number"
      @update:model-value="(v) => set('count', v)" />
    <div v-if="l.kind === 'line'" class="stack">
      <label>step</label
      ><VectorField label="step" unit="m" :model-value="l.step as Vec" @update:model-value="(v) => set('step', v)" />
    </div>
    <template v-if="l.kind === 'ring'">
      <NumberRow
        label="radius"
        :hint="say('RingLayout.radius')"
        unit="m"
        :min="0.001"
        :model-value="l.radius!"
        @update:model-value="(v) => set('radius', v)" />
      <NumberRow
        label="arc"
        :hint="say('RingLayout.arc')"
        unit="°"
        :min="1"
        :max="360"
        :initial="360"
        :model-value="tidy(l.arc! * DEG)"
        @update:model-value="(v) => set('arc', Math.min(v / DEG, 2 * Math.PI))" />
      <ChoiceRow
        label="members"
        :hint="say('RingLayout.face')"
        :options="
          [
            [1, 'turn with it'],
            [0, 'keep their turn'],
          ] as const
        "
        :model-value="l.face ? 1 : 0"
        @update:model-value="(v) => set('face', v === 1)" />
    </template>
    <template v-if="l.kind === 'volume' || l.kind === 'surface'">
      <NumberRow
        label="gap"
        unit="m"
        :initial="0"
        :model-value="l.gap!"
        hint="smallest distance between members"
        @update:model-value="(v) => set('gap', v)" />
      <PickRow
        v-if="l.kind === 'surface'"
        label="over"
        :hint="say('SurfaceScatter.body')"
        :options="[['', 'the ground'], ...onto.map((n) => [n, n] as const)]"
        :model-value="l.body ?? ''"
        @update:model-value="(n) => set('body', n || null)" />
      <NumberRow
        v-if="l.kind === 'surface'"
        label="steepest"
        unit="°"
        :min="0"
        :max="180"
        :initial="52"
        :model-value="tidy(l.steepest! * DEG)"
        hint="leave out faces leaning more than this"
        @update:model-value="(v) => set('steepest', v / DEG)" />
      <ChoiceRow
        v-if="l.kind === 'surface'"
        label="stand"
        :hint="say('SurfaceScatter.align')"
        :options="
          [
            [0, 'upright'],
            [1, 'along the surface'],
          ] as const
        "
        :model-value="l.align ? 1 : 0"
        @update:model-value="(v) => set('align', v === 1)" />
      <ReachEditor
        v-if="l.inside"
        label="inside"
        :model-value="wrap(l.inside)"
        @update:model-value="(v) => set('inside', v.layers![0]!.shape)" />
    </template>
  </Section>
  <Section title="Variation">
    <NumberRow
      label="size from"
      :hint="say('Group.size')"
      unit="×"
      :min="0.01"
      :max="100"
      :initial="1"
      :model-value="group.size[0]"
      @update:model-value="(v) => edit('size', (g) => (g.size = [v, Math.max(v, g.size[1])]))" />
    <NumberRow
      label="size to"
      :hint="say('Group.size')"
      unit="×"
      :min="0.01"
      :max="100"
      :initial="1"
      :model-value="group.size[1]"
      @update:model-value="(v) => edit('size', (g) => (g.size = [Math.min(v, g.size[0]), v]))" />
    <NumberRow
      label="turn"
      :hint="say('Group.turn')"
      unit="°"
      :min="0"
      :max="180"
      :initial="0"
      :model-value="tidy(group.turn * DEG)"
      @update:model-value="(v) => edit('turn', (g) => (g.turn = v / DEG))" />
    <NumberRow
      label="tilt"
      :hint="say('Group.tilt')"
      unit="°"
      :min="0"
      :max="180"
      :initial="0"
      :model-value="tidy(group.tilt * DEG)"
      @update:model-value="(v) => edit('tilt', (g) => (g.tilt = v / DEG))" />
    <NumberRow
      label="seed"
      :hint="say('Group.seed')"
      whole
      :min="0"
      :max="99999"
      :initial="1"
      :model-value="group.seed"
      @update:model-value="(v) => edit('seed', (g) => (g.seed = v))" />
  </Section>
</template>

<style scoped>
.stack {
  margin-bottom: 6px;
}
.stack label {
  display: block;
  color: var(--soft);
  margin-bottom: 3px;
}
.pick {
  height: 26px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--basalt-2);
  color: var(--chalk);
  padding: 0 4px;
  width: 100%;
}
</style>
