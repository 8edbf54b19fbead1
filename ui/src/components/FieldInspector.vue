<script setup lang="ts">
/** A field: what it does, where, when, on whom, and how it moves. */
import { computed } from "vue";
import type { FieldItem } from "../api/types";
import type { Channel } from "../lib/channels";
import { withNumber, withoutNumber } from "../lib/channels";
import { effectUnits, expected, FAMILY, FAMILY_COLOR, freeName, newLayer, OVER_TIME, usersOf } from "../lib/document";
import { CUES, EFFECTS, setAt, STAGGER, TRAVELS, type CueKind, type EffectKind } from "../lib/specs";
import type { Vec } from "../lib/rotation";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useView } from "../stores/view";
import ChoiceRow from "./ChoiceRow.vue";
import CurvePlot from "./CurvePlot.vue";
import Glyph from "./Glyph.vue";
import KeepButton from "./KeepButton.vue";
import LayerStack from "./LayerStack.vue";
import LoadBars from "./LoadBars.vue";
import NameField from "./NameField.vue";
import SpecRows from "./SpecRows.vue";

const props = defineProps<{ field: FieldItem }>();
const shot = useShot();
const pieces = usePieces();
const survey = useSurvey();
const view = useView();
const kind = computed<EffectKind>(() => props.field.effect.kind);
const color = computed(() => FAMILY_COLOR[FAMILY[kind.value]]);
const totals = computed(() => survey.totals(props.field.name));
const fps = computed(() => shot.document?.timing.fps ?? 24);
const effect = computed(() => props.field.effect as unknown as Record<string, unknown>);
const cue = computed(() => props.field.cue as unknown as Record<string, unknown> & { kind: CueKind });
const travel = computed(() => props.field.travel as (Record<string, unknown> & { kind: keyof typeof TRAVELS }) | null);
const channels = computed(() => (props.field.channels ?? []) as Channel[]);
const shared = computed(() => (shot.document?.falloffs ?? []).map((f) => f.name));
const hint = computed(() => expected(props.field));
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
          ? withoutNumber(channels.value, path, time, fps.value)
          : withNumber(channels.value, path, time, fps.value, value)
      ) as FieldItem["channels"]),
  );
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

function copy(): void {
  localStorage.setItem(
    "copied",
    JSON.stringify({
      field: props.field,
      falloffs: (shot.document?.falloffs ?? []).filter((f) => f.name === props.field.reach.use),
    }),
  );
  view.copied++;
}

function remove(): void {
  const name = props.field.name;
  view.select(null);
  shot.edit(`delete ${name}`, (d) => {
    d.fields = d.fields.filter((f) => f.name !== name);
    for (const f of d.fields) if (f.aim === name) f.aim = null;
  });
}

const states = computed(() => props.field.states ?? []);
function toggleState(state: "held" | "resting" | "moving"): void {
  edit("states", (f) => {
    const next = states.value.includes(state) ? states.value.filter((s) => s !== state) : [...states.value, state];
    f.states = next.length ? next : null;
  });
}
function toggleTier(tier: number): void {
  edit("tiers", (f) => {
    const now = f.tiers ?? [];
    const next = now.includes(tier) ? now.filter((t) => t !== tier) : [...now, tier].sort();
    f.tiers = next.length ? next : null;
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
      ><template v-else
        >{{ kind === "anchor" ? "holds" : "reaches" }} {{ totals.pieces }} of {{ totals.of }} pieces</template
      ><template v-if="kind === 'strain' && totals.known"> · {{ totals.bonds }} bonds</template
      ><template v-if="view.frame > 0 && view.showing === 'set-up'"> at f {{ view.frame }}</template>
    </p>
    <ChoiceRow
      label="acts"
      :options="
        [
          ['on', 'on'],
          ['off', 'off'],
        ] as const
      "
      :model-value="field.on ? 'on' : 'off'"
      @update:model-value="(v) => edit('switch', (f) => (f.on = v === 'on'))" />
  </div>
  <div class="section">
    <header>
      <h3>{{ kind === "strain" ? "Load against strength" : "Does" }}</h3>
    </header>
    <LoadBars
      v-if="kind === 'strain'"
      :load="totals.load"
      :low="totals.low"
      :high="totals.high"
      :breaks="totals.breaks"
      :bonds="totals.bonds" />
    <SpecRows
      :of="effect"
      :specs="EFFECTS[kind].specs"
      :units="units"
      :channels="kind === 'anchor' ? undefined : channels"
      base="effect."
      @change="(k, v) => edit(k, (f) => setAt(f.effect, k, v))"
      @key="key" />
    <p v-if="hint" class="mute small figures" data-testid="expected">{{ hint }}</p>
  </div>
  <div class="section">
    <header>
      <h3>Reach</h3>
      <span v-if="field.reach.use">{{ sharers }} {{ sharers === 1 ? "user" : "users" }}</span>
    </header>
    <div v-if="shared.length" class="row">
      <label for="reach-use">falloff</label
      ><select
        id="reach-use"
        :value="field.reach.use ?? ''"
        @change="(e) => use((e.target as HTMLSelectElement).value)">
        <option value="">its own</option>
        <option v-for="name in shared" :key="name">{{ name }}</option>
      </select>
    </div>
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
      <button class="link" @click="view.select({ kind: 'falloff', name: field.reach.use! })">
        Open {{ field.reach.use }}</button
      ><button class="link" @click="use('')">make it local</button>
    </p>
    <button v-if="!field.reach.use" class="link small" data-testid="share-reach" @click="share">
      share it with other fields
    </button>
  </div>
  <div v-if="kind !== 'anchor'" class="section">
    <header>
      <h3>When</h3>
      <span>{{ CUES[cue.kind].why }}</span>
    </header>
    <div class="choices">
      <button
        v-for="c in cues"
        :key="c"
        :aria-pressed="cue.kind === c"
        :title="CUES[c].why"
        :data-testid="`cue-kind-${c}`"
        @click="c !== cue.kind && setCue(c)">
        {{ CUES[c].word }}
      </button>
    </div>
    <SpecRows :of="cue" :specs="CUES[cue.kind].specs" @change="(k, v) => edit('cue', (f) => setAt(f.cue, k, v))" />
    <p v-if="cue.kind === 'at' && OVER_TIME.has(kind)" class="mute small">It acts from then on.</p>
    <template v-if="stagger !== undefined">
      <ChoiceRow
        label="pieces start"
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
  </div>
  <div v-if="channels.length" class="section">
    <header>
      <h3>Keys</h3>
      <span>{{ channels.length }} {{ channels.length === 1 ? "channel" : "channels" }}</span>
    </header>
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
  </div>
  <div v-if="kind !== 'anchor'" class="section">
    <header><h3>Travels</h3></header>
    <div class="choices">
      <button :aria-pressed="!travel" @click="edit('travel', (f) => (f.travel = null))">stays</button
      ><button
        v-for="(t, k) in TRAVELS"
        :key="k"
        :aria-pressed="travel?.kind === k"
        :data-testid="`travel-${k}`"
        @click="
          edit(
            'travel',
            (f) =>
              (f.travel = {
                kind: k,
                ...t.make(around.center),
                ...(k === 'ride' ? { body: shot.things[0]?.name } : {}),
              } as unknown as FieldItem['travel']),
          )
        ">
        {{ t.word }}
      </button>
    </div>
    <SpecRows
      v-if="travel"
      :of="travel"
      :specs="TRAVELS[travel.kind].specs"
      :channels="channels"
      base="travel."
      @change="(k, v) => edit('travel', (f) => setAt(f.travel, k, v))"
      @key="key" />
    <div v-if="'direction' in effect || 'axis' in effect" class="row">
      <label for="aim">aims at</label
      ><select
        id="aim"
        :value="field.aim ?? ''"
        @change="(e) => edit('aim', (f) => (f.aim = (e.target as HTMLSelectElement).value || null))">
        <option value="">nothing</option>
        <option v-for="t in shot.things" :key="t.name">{{ t.name }}</option>
        <option v-for="f in shot.fields.filter((x) => x.name !== field.name)" :key="`f${f.name}`">{{ f.name }}</option>
      </select>
    </div>
  </div>
  <div class="section">
    <header>
      <h3>On whom</h3>
      <span>bodies in the reach grid</span>
    </header>
    <div class="row">
      <span class="label">only what is</span>
      <div class="choices">
        <button
          v-for="s in ['held', 'resting', 'moving'] as const"
          :key="s"
          :aria-pressed="states.includes(s)"
          @click="toggleState(s)">
          {{ s }}
        </button>
      </div>
    </div>
    <div class="row">
      <span class="label">only tiers</span>
      <div class="choices">
        <button
          v-for="t in [1, 2, 3, 4]"
          :key="t"
          :aria-pressed="field.tiers?.includes(t) ?? false"
          @click="toggleTier(t)">
          {{ t }}
        </button>
      </div>
    </div>
  </div>
  <div class="section">
    <button class="button wide" data-testid="copy-field" @click="copy">Copy {{ field.name }}</button
    ><KeepButton kind="field" :item="field" :falloffs="shot.document?.falloffs" /><button
      class="button wide gap"
      @click="remove">
      Delete {{ field.name }}
    </button>
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
