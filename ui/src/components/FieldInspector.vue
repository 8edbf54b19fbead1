<script setup lang="ts">
/** A field: what it does, where, when, on whom, and how it moves. */
import { ElButton } from "element-plus";
import { computed } from "vue";
import type { FieldItem } from "../api/types";
import type { Channel } from "../lib/channels";
import { keyedAt, withNumber, withoutNumber } from "../lib/channels";
import { effectUnits, expected, FAMILY, FAMILY_COLOR, freeName, newLayer, OVER_TIME, usersOf } from "../lib/document";
import { withCompanions } from "../lib/companions";
import { notForeseen } from "../lib/forecast";
import { CUES, EFFECTS, setAt, STAGGER, TRAVELS, type CueKind, type EffectKind } from "../lib/specs";
import type { Vec } from "../lib/rotation";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useView } from "../stores/view";
import { useCommands } from "../composables/useCommands";
import ChoiceRow from "../controls/ChoiceRow.vue";
import CurvePlot from "./CurvePlot.vue";
import Glyph from "./Glyph.vue";
import KeepButton from "../controls/KeepButton.vue";
import LayerStack from "./LayerStack.vue";
import LoadBars from "./LoadBars.vue";
import PathLoads from "./PathLoads.vue";
import NameField from "../controls/NameField.vue";
import SpecRows from "./SpecRows.vue";
import Section from "../controls/Section.vue";
import PickRow from "../controls/PickRow.vue";
import Choices from "../controls/Choices.vue";
import Toggles from "../controls/Toggles.vue";
import SwitchRow from "../controls/SwitchRow.vue";
import type { Option } from "../controls/choices";
import { say } from "../lib/words";

type State = "held" | "resting" | "moving";
const STATES: Option<State>[] = [
  ["held", "held"],
  ["resting", "resting"],
  ["moving", "moving"],
];
const WAYS: Option<keyof typeof TRAVELS | "stays">[] = [
  ["stays", "stays"],
  ...Object.entries(TRAVELS).map(([k, t]) => [k as keyof typeof TRAVELS, t.word] as const),
];
const TIERS: Option<number>[] = [1, 2, 3, 4].map((t) => [t, String(t)]);
const props = defineProps<{ field: FieldItem }>();
const shot = useShot();
const pieces = usePieces();
const survey = useSurvey();
const view = useView();
const commands = useCommands();
const kind = computed<EffectKind>(() => props.field.effect.kind);
const color = computed(() => FAMILY_COLOR[FAMILY[kind.value]]);
const totals = computed(() => survey.totals(props.field.name));
const fps = computed(() => shot.document?.timing.fps ?? 24);
const effect = computed(() => props.field.effect as unknown as Record<string, unknown>);
const cue = computed(() => props.field.cue as unknown as Record<string, unknown> & { kind: CueKind });
const travel = computed(() => props.field.travel as (Record<string, unknown> & { kind: keyof typeof TRAVELS }) | null);
const channels = computed(() => (props.field.channels ?? []) as Channel[]);
const shared = computed(() => (shot.document?.falloffs ?? []).map((f) => f.name));
/** what is said ahead is said of the numbers at the playhead */
const hint = computed(() =>
  expected(keyedAt(props.field, view.frame / fps.value), Math.hypot(...(shot.document?.gravity ?? [0, -9.81, 0]))),
);
const units = computed(() => effectUnits(props.field));
const around = computed(() => {
  const sizes = [...pieces.built.values()].map((b) => Math.max(...b.figures.size));
  const first = props.field.reach.layers?.find((l) => "center" in l.shape)?.shape as { center?: Vec } | undefined;
  return { center: (first?.center ?? [0, 1, 0]) as [number, number, number], size: Math.max(0.1, ...sizes) * 0.6 };
});
const cues = computed(() => (Object.keys(CUES) as CueKind[]).filter((c) => !(kind.value === "strain" && c === "span")));
const stagger = computed(() => cue.value.stagger as Record<string, unknown> | null | undefined);
const sharers = computed(() => (props.field.reach.use ? usersOf(shot.document, props.field.reach.use).length : 0));

const edit = (what: string, change: (f: FieldItem) => void): void =>
  shot.editField(props.field.name, `${what} of ${props.field.name}`, change);

function key(path: string, value: number | null): void {
  const time = view.frame / fps.value;
  view.showing = "set-up";
  edit(
    "key",
    (f) =>
      (f.channels = (
        value === null
          ? withoutNumber((f.channels ?? []) as Channel[], path, time, fps.value)
          : withNumber((f.channels ?? []) as Channel[], path, time, fps.value, value)
      ) as FieldItem["channels"]),
  );
}

/** what it puts through bonds where things open; a strain loads bonds by itself, an anchor holds */
const loads = computed(() =>
  kind.value === "kill" || kind.value === "displace" ? [] : survey.loadsOf(props.field.name),
);
const flows = computed(() => (kind.value === "strain" || kind.value === "anchor" ? "by weight" : "by it and weight"));

function letBreak(body: string): void {
  shot.edit(`let ${body} break by its loads`, (d) => {
    const own = d.bodies.find((b) => b.name === body) ?? d.groups.find((g) => g.name === body)?.body;
    if (own) own.load_path = "fail";
  });
}

function setEffect(path: string, value: unknown): void {
  edit(path, (f) => {
    setAt(f.effect, path, value);
    withCompanions(f.effect as Record<string, unknown>, shot.things);
  });
}

function setCue(next: CueKind): void {
  edit("cue", (f) => (f.cue = { kind: next, ...structuredClone(CUES[next].make) } as unknown as FieldItem["cue"]));
}

/** The reach becomes a falloff of the shot, to be used by others too. */
function share(): void {
  const name = freeName(`${props.field.name} reach`, shared.value);
  shot.edit(`share the reach of ${props.field.name}`, (d) => {
    const own = d.fields.find((f) => f.name === props.field.name)!;
    const { layers, strength, limits } = structuredClone(own.reach);
    const keyed = (own.channels ?? [])
      .filter((c) => c.of.startsWith("reach."))
      .map((c) => ({ ...c, of: c.of.slice(6) }));
    d.falloffs.push({ name, layers: layers!, strength: strength!, limits: limits!, channels: keyed });
    own.channels = (own.channels ?? []).filter((c) => !c.of.startsWith("reach."));
    own.reach = { layers: [], use: name, strength: 1, limits: [0, 1] };
  });
}

function use(name: string): void {
  edit("reach", (f) => {
    const found = shot.document!.falloffs.find((x) => x.name === (name || f.reach.use));
    f.channels = (f.channels ?? []).filter((c) => !c.of.startsWith("reach."));
    f.reach = name
      ? { layers: [], use: name, strength: 1, limits: [0, 1] }
      : {
          layers: structuredClone(found?.layers ?? [newLayer(around.value.center, around.value.size)]),
          use: null,
          strength: found?.strength ?? 1,
          limits: found?.limits ?? [0, 1],
        };
  });
}

function rename(name: string): void {
  const old = props.field.name;
  shot.edit(`rename ${old}`, (d) => {
    d.fields.find((f) => f.name === old)!.name = name;
    for (const f of d.fields) if (f.aim === old) f.aim = name;
  });
  view.select({ kind: "field", name });
}

function remove(): void {
  view.select(null);
  shot.removeAll([{ kind: "field", name: props.field.name }]);
}

const states = computed(() => props.field.states ?? []);
function setStates(next: State[]): void {
  edit("states", (f) => (f.states = next.length ? next : null));
}

function setTravel(kind: keyof typeof TRAVELS | "stays"): void {
  edit("travel", (f) => {
    const own = kind === "ride" ? { body: shot.things[0]?.name } : {};
    f.travel =
      kind === "stays"
        ? null
        : ({ kind, ...TRAVELS[kind].make(around.value.center), ...own } as unknown as FieldItem["travel"]);
  });
}
</script>

<template>
  <div class="section">
    <header>
      <span class="title" :style="{ color }"
        ><Glyph :name="kind" /><NameField
          :name="field.name"
          :taken="shot.fields.map((f) => f.name)"
          @rename="rename" /></span
      ><span>{{ kind }}</span>
    </header>
    <p class="figures" :class="totals.pieces || !totals.known ? 'mute' : 'note'" data-testid="reach-count">
      <template v-if="!totals.known">counting the pieces it reaches</template
      ><template v-else>{{ kind === "anchor" ? "holds" : "reaches" }} {{ totals.words }}</template
      ><template v-if="kind === 'strain' && totals.known"> · {{ totals.bonds }} bonds</template
      ><template v-if="view.frame > 0 && view.showing === 'set-up'"> at f {{ view.frame }}</template>
    </p>
    <SwitchRow
      label="acts"
      :hint="say('FieldItem.on')"
      :model-value="!!field.on"
      @update:model-value="(v) => edit('switch', (f) => (f.on = v))" />
  </div>
  <Section :title="kind === 'strain' ? 'Load against strength' : 'Does'">
    <LoadBars
      v-if="kind === 'strain'"
      :load="totals.load"
      :low="totals.low"
      :high="totals.high"
      :breaks="totals.breaks"
      :bonds="totals.bonds"
      :more="notForeseen(field)" />
    <SpecRows
      :of="effect"
      :specs="EFFECTS[kind].specs"
      :units="units"
      :channels="kind === 'anchor' ? undefined : channels"
      base="effect."
      @change="setEffect"
      @key="key" />
    <p v-if="hint" class="mute small figures" data-testid="expected">{{ hint }}</p>
  </Section>
  <Section v-if="loads.length" title="Through the bonds" :note="flows">
    <PathLoads :loads="loads" @breaks="letBreak" />
  </Section>
  <Section title="Reach" :note="field.reach.use ? `${sharers} ${sharers === 1 ? 'user' : 'users'}` : ''">
    <PickRow
      v-if="shared.length"
      id="reach-use"
      label="falloff"
      hint="a shared falloff that is its reach, or its own layers"
      :options="[['', 'its own'], ...shared.map((n) => [n, n] as const)]"
      :model-value="field.reach.use ?? ''"
      @update:model-value="use" />
    <LayerStack
      v-if="!field.reach.use"
      :stack="field.reach as never"
      :color="color"
      :channels="kind === 'anchor' ? undefined : channels"
      base="reach."
      :around="around"
      @edit="(what, change) => edit(what, (f) => change(f.reach as never))"
      @key="key" />
    <p v-else class="more">
      <ElButton link @click="view.select({ kind: 'falloff', name: field.reach.use! })">
        Open {{ field.reach.use }}</ElButton
      ><ElButton link @click="use('')">make it local</ElButton>
    </p>
    <p v-if="!field.reach.use" class="more">
      <ElButton
        link
        data-testid="place-field"
        :aria-pressed="view.placingField"
        v-hint="'The next click in the view puts it there, facing out of the surface'"
        @click="view.placingField = !view.placingField"
        >{{ view.placingField ? "click in the view" : "place it by a click" }}</ElButton
      ><ElButton link data-testid="share-reach" @click="share">share it with other fields</ElButton>
    </p>
  </Section>
  <Section v-if="kind !== 'anchor'" title="When" :note="CUES[cue.kind].why">
    <Choices
      label="when"
      ids="cue-kind-"
      :options="cues.map((c) => [c, CUES[c].word, CUES[c].why] as const)"
      :model-value="cue.kind"
      @update:model-value="setCue" />
    <SpecRows :of="cue" :specs="CUES[cue.kind].specs" @change="(k, v) => edit('cue', (f) => setAt(f.cue, k, v))" />
    <p v-if="cue.kind === 'at' && OVER_TIME.has(kind)" class="mute small">It acts from then on.</p>
    <template v-if="stagger !== undefined">
      <ChoiceRow
        label="pieces start"
        :hint="say('SpanCue.stagger')"
        :options="
          [
            ['no', 'together'],
            ['yes', 'one by one'],
          ] as const
        "
        :model-value="stagger ? 'yes' : 'no'"
        @update:model-value="
          (v) =>
            edit('stagger', (f) =>
              setAt(f.cue, 'stagger', v === 'yes' ? { over: 1, order: 'random', direction: [1, 0, 0], seed: 1 } : null),
            )
        " />
      <SpecRows
        v-if="stagger"
        :of="stagger"
        :specs="STAGGER"
        @change="(k, v) => edit('stagger', (f) => setAt(f.cue, `stagger.${k}`, v))" />
    </template>
  </Section>
  <Section
    v-if="channels.length"
    title="Keys"
    :note="`${channels.length} ${channels.length === 1 ? 'channel' : 'channels'}`">
    <CurvePlot
      v-for="c in channels"
      :key="c.of"
      :channel="c"
      :color="color"
      @change="
        (next) =>
          edit(
            'keys',
            (f) =>
              (f.channels = channels
                .map((x) => (x.of === c.of ? next : x))
                .filter((x) => x.keys.length) as FieldItem['channels']),
          )
      " />
  </Section>
  <Section v-if="kind !== 'anchor'" title="Travels">
    <Choices
      label="travels"
      ids="travel-"
      :options="WAYS"
      :model-value="travel?.kind ?? 'stays'"
      @update:model-value="setTravel" />
    <SpecRows
      v-if="travel"
      :of="travel"
      :specs="TRAVELS[travel.kind].specs"
      :channels="channels"
      base="travel."
      @change="(k, v) => edit('travel', (f) => setAt(f.travel, k, v))"
      @key="key" />
    <PickRow
      v-if="'direction' in effect || 'axis' in effect"
      id="aim"
      label="aims at"
      :hint="say('FieldItem.aim')"
      :options="[
        ['', 'nothing'],
        ...shot.things.map((t) => [t.name, t.name] as const),
        ...shot.fields.filter((x) => x.name !== field.name).map((f) => [f.name, f.name] as const),
      ]"
      :model-value="field.aim ?? ''"
      @update:model-value="(n) => edit('aim', (f) => (f.aim = n || null))" />
  </Section>
  <Section title="On whom" note="bodies in the reach grid">
    <div class="row">
      <span class="label">only what is</span>
      <Toggles label="only what is" :options="STATES" :model-value="states" @update:model-value="setStates" />
    </div>
    <div class="row">
      <span class="label">only tiers</span>
      <Toggles
        label="only tiers"
        :options="TIERS"
        :model-value="field.tiers ?? []"
        @update:model-value="(t) => edit('tiers', (f) => (f.tiers = t.length ? t.sort() : null))" />
    </div>
  </Section>
  <div class="section">
    <ElButton class="wide" data-testid="copy-field" @click="commands.copy">Copy {{ field.name }}</ElButton
    ><KeepButton kind="field" :item="field" :falloffs="shot.document?.falloffs" /><ElButton
      class="wide gap"
      @click="remove">
      Delete {{ field.name }}
    </ElButton>
  </div>
</template>

<style scoped>
.title {
  display: flex;
  gap: 7px;
  align-items: center;
  min-width: 0;
}
.title :deep(.name) {
  font-size: 13.5px;
}
.section header .title {
  color: inherit;
  font-size: 13.5px;
}
.choices {
  margin-bottom: 4px;
}
.choices button {
  font-size: 12px;
  padding: 0 3px;
}
.small {
  font-size: 12px;
  margin-top: 4px;
  color: var(--soft);
}
.more {
  display: flex;
  gap: 14px;
  font-size: 12px;
  color: var(--soft);
}
.gap {
  margin-top: 6px;
}
</style>
