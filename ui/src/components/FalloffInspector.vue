<script setup lang="ts">
/** A shared falloff: its layers, and who uses it. */
import { ElButton } from "element-plus";
import { computed } from "vue";
import type { ShotDocument } from "../api/types";
import type { Channel } from "../lib/channels";
import { withNumber, withoutNumber } from "../lib/channels";
import { FAMILY, FAMILY_COLOR, freeName, isStill, newFalloffBody, replaceUse, usersOf } from "../lib/document";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import CurvePlot from "./CurvePlot.vue";
import Glyph from "./Glyph.vue";
import KeepButton from "../controls/KeepButton.vue";
import LayerStack from "./LayerStack.vue";
import NameField from "../controls/NameField.vue";
import Section from "../controls/Section.vue";

type Shared = ShotDocument["falloffs"][number];
const props = defineProps<{ falloff: Shared }>();
const shot = useShot();
const pieces = usePieces();
const view = useView();
const fps = computed(() => shot.document?.timing.fps ?? 24);
const users = computed(() => shot.fields.filter((f) => f.reach.use === props.falloff.name));
const others = computed(() =>
  usersOf(shot.document, props.falloff.name).filter((u) => !users.value.some((f) => f.name === u)),
);
const channels = computed(() => (props.falloff.channels ?? []) as Channel[]);
const around = computed(() => ({
  center: [0, 1, 0] as [number, number, number],
  size: Math.max(0.1, ...[...pieces.built.values()].map((b) => Math.max(...b.figures.size))) * 0.6,
}));

const edit = (what: string, change: (f: Shared) => void): void =>
  shot.edit(`${what} of ${props.falloff.name}`, (d) => {
    const own = d.falloffs.find((f) => f.name === props.falloff.name);
    if (own) change(own);
  });

function key(path: string, value: number | null): void {
  const time = view.frame / fps.value;
  edit(
    "key",
    (f) =>
      (f.channels = (
        value === null
          ? withoutNumber((f.channels ?? []) as Channel[], path, time, fps.value)
          : withNumber((f.channels ?? []) as Channel[], path, time, fps.value, value)
      ) as Shared["channels"]),
  );
}

function rename(name: string): void {
  const old = props.falloff.name;
  shot.edit(`rename ${old}`, (d) => {
    d.falloffs.find((f) => f.name === old)!.name = name;
    replaceUse(d, old, (reach) => (reach.use = name));
  });
  view.select({ kind: "falloff", name });
}

/** Its surface as a body, to be seen or broken. */
function makeMesh(): void {
  const body = newFalloffBody(
    freeName(
      `${props.falloff.name} mesh`,
      shot.things.map((t) => t.name),
    ),
    props.falloff,
  );
  shot.edit(`make a mesh of ${props.falloff.name}`, (d) => d.bodies.push(body));
  view.showing = "set-up";
  view.step = "build";
  view.select({ kind: "body", name: body.name });
}

/** Its users each get it as their own. */
function remove(): void {
  view.select(null);
  shot.removeAll([{ kind: "falloff", name: props.falloff.name }]);
}
</script>

<template>
  <div class="section">
    <header>
      <span class="title"
        ><Glyph name="falloff" /><NameField
          :name="falloff.name"
          :taken="(shot.document?.falloffs ?? []).map((f) => f.name)"
          @rename="rename" /></span
      ><span>shared falloff</span>
    </header>
    <p v-for="f in users" :key="f.name" class="user">
      <ElButton
        link
        :style="{ color: FAMILY_COLOR[FAMILY[f.effect.kind]] }"
        @click="view.select({ kind: 'field', name: f.name })">
        {{ f.name }}
      </ElButton>
    </p>
    <p v-for="word in others" :key="word" class="user">{{ word }}</p>
    <p v-if="!users.length && !others.length" class="mute">
      Nothing uses it yet: choose it under Reach of a field, or for a map, a break or a strength.
    </p>
  </div>
  <Section title="Layers" note="the top is laid last">
    <LayerStack
      :stack="falloff as never"
      color="var(--accent)"
      :channels="channels"
      base=""
      :around="around"
      @edit="(what, change) => edit(what, (f) => change(f as never))"
      @key="key" />
  </Section>
  <Section v-if="channels.length" title="Keys">
    <CurvePlot
      v-for="c in channels"
      :key="c.of"
      :channel="c"
      color="var(--accent)"
      @change="
        (next) =>
          edit(
            'keys',
            (f) =>
              (f.channels = channels
                .map((x) => (x.of === c.of ? next : x))
                .filter((x) => x.keys.length) as Shared['channels']),
          )
      " />
  </Section>
  <div class="section">
    <ElButton
      class="wide"
      data-testid="make-mesh"
      :disabled="!isStill(falloff.layers as never)"
      v-hint="`A body with this falloff's surface, to be seen or broken`"
      @click="makeMesh">
      Make a mesh of it
    </ElButton>
    <KeepButton kind="falloff" :item="falloff" />
    <ElButton class="wide gap" @click="remove">Delete {{ falloff.name }}</ElButton>
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
.user {
  font-size: 12px;
}
.gap {
  margin-top: 6px;
}
</style>
