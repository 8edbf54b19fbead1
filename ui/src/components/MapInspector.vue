<script setup lang="ts">
/** A map: a number on every piece by a falloff, its colours, and whose pieces. */
import { ElButton } from "element-plus";
import { computed } from "vue";
import type { WeightMap } from "../api/types";
import { newLayer, RAMPS } from "../lib/document";
import type { Vec } from "../lib/rotation";
import { showNumber } from "../lib/units";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useView } from "../stores/view";
import Glyph from "./Glyph.vue";
import LayerStack from "./LayerStack.vue";
import NameField from "../controls/NameField.vue";
import Section from "../controls/Section.vue";
import PickRow from "../controls/PickRow.vue";
import Toggles from "../controls/Toggles.vue";
import { say } from "../lib/words";

const props = defineProps<{ map: WeightMap }>();
const shot = useShot();
const pieces = usePieces();
const survey = useSurvey();
const view = useView();
const shared = computed(() => (shot.document?.falloffs ?? []).map((f) => f.name));
const found = computed(() => survey.result?.maps[props.map.name]);
const some = computed(() => found.value?.values.filter((v) => v > 0).length ?? 0);
const mean = computed(() =>
  found.value?.values.length ? found.value.values.reduce((a, b) => a + b, 0) / found.value.values.length : 0,
);
const around = computed(() => {
  const first = props.map.reach.layers?.find((l) => "center" in l.shape)?.shape as { center?: Vec } | undefined;
  return {
    center: (first?.center ?? [0, 1, 0]) as [number, number, number],
    size: Math.max(0.1, ...[...pieces.built.values()].map((b) => Math.max(...b.figures.size))) * 0.6,
  };
});
const css = (ramp: keyof typeof RAMPS): string => `linear-gradient(90deg, ${RAMPS[ramp].join(", ")})`;

const edit = (what: string, change: (m: WeightMap) => void): void =>
  shot.edit(`${what} of ${props.map.name}`, (d) => {
    const own = d.maps.find((m) => m.name === props.map.name);
    if (own) change(own as WeightMap);
  });

function use(name: string): void {
  const own = shot.document!.falloffs.find((f) => f.name === (name || props.map.reach.use));
  edit(
    "falloff",
    (m) =>
      (m.reach = (
        name
          ? { layers: [], use: name, strength: 1, limits: [0, 1] }
          : {
              layers: structuredClone(own?.layers ?? [newLayer(around.value.center, around.value.size)]),
              use: null,
              strength: own?.strength ?? 1,
              limits: own?.limits ?? [0, 1],
            }
      ) as WeightMap["reach"]),
  );
}

function setTargets(names: string[]): void {
  edit("targets", (m) => (m.targets = names.length === shot.things.length ? "all" : names));
}

function rename(name: string): void {
  const old = props.map.name;
  shot.edit(`rename ${old}`, (d) => (d.maps.find((m) => m.name === old)!.name = name));
  view.map = name;
  view.select({ kind: "map", name });
}

function remove(): void {
  view.select(null);
  shot.removeAll([{ kind: "map", name: props.map.name }]);
}
</script>

<template>
  <div class="section">
    <header>
      <span class="title"
        ><Glyph name="map" /><NameField
          :name="map.name"
          :taken="(shot.document?.maps ?? []).map((m) => m.name)"
          @rename="rename" /></span
      ><span>map</span>
    </header>
    <p class="mute figures" data-testid="map-figures">
      {{
        found
          ? `on ${some} of ${found.values.length} pieces · mean ${showNumber(mean, 2)}`
          : "not worked out: see its falloff"
      }}
    </p>
    <div class="ramps">
      <ElButton
        class="bare"
        v-for="(_, name) in RAMPS"
        :key="name"
        :aria-pressed="map.ramp === name"
        v-hint="name"
        :data-testid="`ramp-${name}`"
        @click="edit('colours', (m) => (m.ramp = name))">
        <i :style="{ background: css(name) }" />{{ name }}
      </ElButton>
    </div>
    <p v-if="found?.tint.length" class="mute small">Its layers have colours of their own, which are shown instead.</p>
  </div>
  <Section title="Falloff">
    <PickRow
      v-if="shared.length"
      id="map-use"
      label="falloff"
      :hint="say('WeightMap.reach')"
      :options="[['', 'its own'], ...shared.map((n) => [n, n] as const)]"
      :model-value="map.reach.use ?? ''"
      @update:model-value="use" />
    <LayerStack
      v-if="!map.reach.use"
      :stack="map.reach as never"
      color="var(--accent)"
      :channels="undefined"
      base="map."
      :around="around"
      @edit="(what, change) => edit(what, (m) => change(m.reach as never))" />
    <ElButton v-else link class="small" @click="view.select({ kind: 'falloff', name: map.reach.use! })">
      Open {{ map.reach.use }}
    </ElButton>
    <p class="mute small">With a trail or hold layer on top it remembers during a run: a wet or a burnt map.</p>
  </Section>
  <Section title="On whom">
    <Toggles
      label="on whom"
      column
      :options="shot.things.map((t) => [t.name, t.name] as const)"
      :model-value="map.targets === 'all' ? shot.things.map((t) => t.name) : map.targets"
      @update:model-value="setTargets" />
  </Section>
  <div class="section">
    <ElButton class="wide" @click="remove">Delete {{ map.name }}</ElButton>
  </div>
</template>

<style scoped>
.title {
  display: flex;
  gap: 7px;
  align-items: center;
  min-width: 0;
  color: var(--accent);
}
.section header .title {
  color: var(--accent);
  font-size: 13.5px;
}
.small {
  font-size: 12px;
  margin-top: 4px;
}
.ramps {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px;
  margin-top: 6px;
}
.ramps button {
  border: 1px solid var(--line);
  background: var(--basalt-2);
  border-radius: var(--radius);
  padding: 4px 6px;
  display: grid;
  gap: 3px;
  cursor: pointer;
  font-size: 11.5px;
  text-align: left;
  color: var(--soft);
}
.ramps button[aria-pressed="true"] {
  border-color: var(--accent);
  color: var(--chalk);
}
.ramps i {
  height: 7px;
  border-radius: 3px;
}
.column {
  flex-direction: column;
  max-height: 180px;
  overflow-y: auto;
}
</style>
