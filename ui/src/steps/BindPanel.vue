<script setup lang="ts">
import { ElButton } from "element-plus";
import { computed } from "vue";
import BodyList from "../components/BodyList.vue";
import ChoiceRow from "../controls/ChoiceRow.vue";
import HoldsSection from "../components/HoldsSection.vue";
import SeamsSection from "../components/SeamsSection.vue";
import OpeningSection from "../components/OpeningSection.vue";
import Glyph from "../components/Glyph.vue";
import NumberRow from "../controls/NumberRow.vue";
import ReachEditor from "../components/ReachEditor.vue";
import type { Body, TieKind } from "../api/types";
import { FAMILY_COLOR, newLayer, tieKinds, TIES } from "../lib/document";
import { holding, partsOf, pieceFigures } from "../lib/pieces";
import { showNumber } from "../lib/units";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useView } from "../stores/view";
import { useNewField } from "./newField";
import { newBonds } from "../lib/matter";
import Section from "../controls/Section.vue";
import Choices from "../controls/Choices.vue";
import { say } from "../lib/words";

const shot = useShot();
const pieces = usePieces();
const survey = useSurvey();
const view = useView();
const add = useNewField();
const chosen = computed(() => shot.things.find((t) => t.name === view.thing));
const body = computed(() => chosen.value?.body);
const figures = computed(() => (chosen.value ? pieces.built.get(chosen.value.name)?.figures : undefined));
const anchors = computed(() => shot.fields.filter((f) => f.effect.kind === "anchor"));
const packed = computed(() => (chosen.value ? pieces.packedOf(chosen.value.name) : undefined));
const tiers = computed(() => (packed.value ? Math.max(1, pieceFigures(partsOf(packed.value)).tiers) : 1));
const UNITS = { kN: "kN", "kN/m": "kN/m", "kN/m2": "kN/m²" } as const;
const unit = computed(() => UNITS[body.value?.bonds?.unit ?? "kN/m2"]);
/** pieces meet along faces, patches of cloth along lines */
const perFace = computed(() => (body.value?.matter.kind === "cloth" ? "kN/m" : "kN/m2"));
const BONDS = [
  ["hidden", "hidden"],
  ["strength", "strength"],
  ["weight", "weight"],
] as const;
const ratios = computed(() => (chosen.value ? pieces.weights.get(chosen.value.name) : undefined));
const worst = computed(() => (ratios.value?.length ? ratios.value.reduce((a, b) => Math.max(a, b), 0) : null));
const over = computed(() => ratios.value?.reduce((n, r) => n + (r > 1 ? 1 : 0), 0) ?? 0);
const RELEASE = [
  ["start", "from the start"],
  ["intact", "intact until it breaks"],
  ["touch", "when touched"],
  ["cue", "at a cue"],
] as const;
const edit = (what: string, change: (b: Body) => void): void =>
  shot.editBody(chosen.value!.name, `${what} of ${chosen.value!.name}`, change);

/** Strength of a tier as it counts: a missing one is that of the tier before. */
const strengthOf = (t: number): number => {
  const b = body.value!.bonds!;
  return t === 1 ? b.strength! : (b.tiers![t - 2] ?? b.tiers!.at(-1) ?? b.strength!);
};
function setStrength(t: number, value: number): void {
  edit("strength", (b) => {
    if (t === 1) b.bonds!.strength = value;
    else {
      const list = b.bonds!.tiers!;
      while (list.length < t - 1) list.push(list.at(-1) ?? b.bonds!.strength!);
      list[t - 2] = value;
    }
  });
}

/** What holds the picked part to the rest, beside its weight. */
const part = computed(() => {
  if (
    !packed.value ||
    !body.value?.bonds ||
    !view.picked.length ||
    !figures.value ||
    view.picked.length === figures.value.pieces
  )
    return null;
  const held = holding(packed.value, pieces.strengths.get(chosen.value!.name), view.picked);
  const mass = view.picked.reduce((sum, p) => sum + packed.value!.volume![p]!, 0) * figures.value.density;
  const g = Math.hypot(...(shot.document?.gravity ?? [0, -9.81, 0]));
  return { ...held, weight: (mass * g) / 1000 };
});
/** How many bonds a body's pieces have, or seams, in words. */
function joints(of: Body, name: string): string {
  if (!of.pattern || !of.bonds) return of.pattern ? "loose" : "whole";
  return of.matter.kind === "rigid"
    ? `${pieces.built.get(name)?.figures.bonds ?? "…"} bonds`
    : `${pieces.seams.get(name)?.strength.length ?? "…"} seams`;
}

const isCut = computed(() => part.value && part.value.rows.length > 0 && part.value.bonds === 0);

function cut(mend: boolean): void {
  const ends = packed.value!.bond_piece!;
  const rows = part.value!.rows.map((b) => [ends[b * 2]!, ends[b * 2 + 1]!] as [number, number]);
  edit(mend ? "mend bonds" : "cut bonds", (b) => {
    const key = (p: readonly number[]): string => `${p[0]},${p[1]}`;
    const own = new Set(rows.map(key));
    b.bonds!.cut = (b.bonds!.cut as [number, number][]).filter((p) => !own.has(key(p)));
    if (!mend) b.bonds!.cut.push(...rows);
  });
}

function scaleByReach(): void {
  const big = Math.max(...(figures.value?.size ?? [2]));
  const at = body.value!.place.position!;
  const round = (x: number): number => Number(x.toPrecision(2));
  edit(
    "strength falloff",
    (b) =>
      (b.bonds!.by_reach = {
        low: 1,
        high: 4,
        reach: {
          layers: [
            {
              ...newLayer([...at] as [number, number, number], big),
              shape: {
                kind: "sphere",
                center: [...at] as [number, number, number],
                core: round(big * 0.2),
                edge: round(big * 0.3),
                ride: null,
              },
            },
          ],
          use: null,
          strength: 1,
          limits: [0, 1],
        },
      } as unknown as NonNullable<NonNullable<Body["bonds"]>["by_reach"]>),
  );
}

function setRelease(kind: "start" | "intact" | "touch" | "cue"): void {
  edit(
    "release",
    (b) => (b.release = kind === "touch" ? { kind, part: "piece" } : kind === "cue" ? { kind, time: 1 } : { kind }),
  );
}

/** The next click in the view says where it goes. */
function placeNew(kind: TieKind): void {
  view.showing = "set-up";
  view.frame = 0;
  view.placing = view.placing?.kind === kind ? null : { kind, body: null, point: null, note: "" };
}
</script>

<template>
  <div class="section">
    <div class="panel-head">
      <h2>Bind</h2>
      <span>{{ chosen ? chosen.name : "pick a body" }}</span>
    </div>
    <template v-if="body?.pattern">
      <template v-if="body.bonds">
        <NumberRow
          v-for="t in tiers"
          :key="t"
          :label="t === 1 ? 'strength' : `tier ${t}`"
          :hint="say('Bonds.strength')"
          :unit="unit"
          :min="0"
          :max="1e6"
          :initial="t === 1 ? 400 : undefined"
          :model-value="strengthOf(t)"
          @update:model-value="(v) => setStrength(t, v)" />
        <ChoiceRow
          label="given"
          :hint="say('Bonds.unit')"
          :options="
            [
              [perFace, perFace === 'kN/m' ? 'per length' : 'per area'],
              ['kN', body.matter.kind === 'rigid' ? 'per bond' : 'per seam'],
            ] as const
          "
          :model-value="body.bonds.unit!"
          @update:model-value="(v) => edit('strength unit', (b) => (b.bonds!.unit = v))" />
        <NumberRow
          label="by size"
          :min="-3"
          :max="3"
          :initial="0"
          :model-value="body.bonds.by_size!"
          hint="strength grows with the piece's size to this power"
          @update:model-value="(v) => edit('strength by size', (b) => (b.bonds!.by_size = v))" />
        <template v-if="body.bonds.by_reach">
          <NumberRow
            label="outside"
            :hint="say('StrengthReach.low')"
            unit="×"
            :min="0"
            :initial="1"
            :model-value="body.bonds.by_reach.low!"
            @update:model-value="(v) => edit('strength falloff', (b) => (b.bonds!.by_reach!.low = v))" />
          <NumberRow
            label="inside"
            :hint="say('StrengthReach.high')"
            unit="×"
            :min="0"
            :initial="4"
            :model-value="body.bonds.by_reach.high!"
            @update:model-value="(v) => edit('strength falloff', (b) => (b.bonds!.by_reach!.high = v))" />
          <ReachEditor
            label="where"
            world
            :model-value="body.bonds.by_reach.reach"
            @update:model-value="(v) => edit('strength falloff', (b) => ((b.bonds!.by_reach!.reach as unknown) = v))" />
        </template>
        <div v-if="figures" class="figures counts">
          <p v-if="body.matter.kind === 'rigid'"><span>bonds</span><b>{{ figures.bonds }}</b></p>
          <p v-for="t in figures.tiers" :key="t.tier">
            <span>{{ figures.tiers.length > 1 ? `tier ${t.tier}, ${t.bonds}` : "each" }}</span
            ><b>{{ showNumber(t.strength[0], 2) }} to {{ showNumber(t.strength[1], 3) }} kN</b>
          </p>
          <p><span>own weight</span><b>{{ showNumber((figures.mass * 9.81) / 1000, 3) }} kN</b></p>
        </div>
        <div class="more">
          <ElButton
            link
            @click="body.bonds.by_reach ? edit('strength falloff', (b) => (b.bonds!.by_reach = null)) : scaleByReach()">
            {{ body.bonds.by_reach ? "same strength everywhere" : "stronger by a falloff" }}
          </ElButton>
          <ElButton link @click="edit('bonds', (b) => (b.bonds = null))">set the pieces loose</ElButton>
        </div>
      </template>
      <ElButton v-else type="primary" class="wide" @click="edit('bonds', (b) => (b.bonds = newBonds(b.matter.kind)))">
        Bond the pieces
      </ElButton>
    </template>
    <p v-else-if="chosen && body?.matter.kind !== 'rigid'" class="mute">
      {{ chosen.name }} is one {{ body?.matter.kind }}: pins hold its vertices.
    </p>
    <p v-else-if="chosen" class="mute">
      {{ chosen.name }} is whole. <ElButton link @click="view.step = 'break'">Break it</ElButton> to have bonds.
    </p>
    <p v-else class="mute">Pick a broken body to set how strongly its pieces hold together.</p>
  </div>
  <template v-if="chosen && body && body.matter.kind !== 'rigid'">
    <SeamsSection v-if="body.pattern && body.bonds" :key="`seams of ${chosen.name}`" :thing="chosen" />
    <HoldsSection :key="chosen.name" :thing="chosen" />
    <OpeningSection :thing="chosen" />
  </template>
  <Section
    v-if="body?.pattern && body.bonds && body.matter.kind === 'rigid'"
    title="Part to the rest"
    :note="view.picked.length ? `${view.picked.length} picked` : 'pick pieces'">
    <template v-if="part">
      <div class="bars figures" data-testid="part-holding">
        <p>
          <i
            class="hold"
            :style="{
              width: `${Math.min(100, (100 * part.strength) / Math.max(part.strength, part.weight))}%`,
            }" /><span>{{ part.bonds }} bonds hold</span><b>{{ showNumber(part.strength, 3) }} kN</b>
        </p>
        <p>
          <i
            class="load"
            :style="{
              width: `${Math.min(100, (100 * part.weight) / Math.max(part.strength, part.weight, 1e-9))}%`,
            }" /><span>its weight</span><b>{{ showNumber(part.weight, 3) }} kN</b>
        </p>
      </div>
      <ElButton class="wide" data-testid="cut-bonds" :disabled="!part.rows.length" @click="cut(!!isCut)">
        {{ isCut ? `Mend the ${part.rows.length} bonds` : `Cut the ${part.bonds} bonds` }}
      </ElButton>
    </template>
    <p v-else class="mute small">
      Click a piece; Shift adds, Shift-drag picks a box. What holds it to the rest stands here beside its weight.
    </p>
    <ChoiceRow
      label="bonds"
      hint="bonds drawn as lines: by their strength, or by what their own weight takes of it"
      :options="BONDS"
      :model-value="view.bonds"
      @update:model-value="(v) => (view.bonds = v)" />
    <p
      v-if="view.bonds === 'weight' && worst !== null"
      class="figures small"
      :class="worst > 1 ? 'problem' : 'mute'"
      data-testid="worst-weight">
      {{
        worst > 1
          ? `overloaded: ${over} bonds, at worst ${showNumber(worst, 2)} ×`
          : `most loaded bond at ${showNumber(worst * 100, 2)} %`
      }}
    </p>
    <ChoiceRow
      label="colour by"
      hint="what the colours of the pieces say"
      :options="
        [
          ['material', 'material'],
          ['strength', 'strength'],
        ] as const
      "
      :model-value="view.colorBy as 'material'"
      @update:model-value="(v) => (view.colorBy = v)" />
  </Section>
  <Section v-if="body?.pattern && body.bonds && body.matter.kind === 'rigid'" title="Loads" note="through the bonds">
    <ChoiceRow
      label="followed"
      :hint="say('Body.load_path')"
      :options="
        [
          ['off', 'no'],
          ['on', 'seen'],
          ['fail', 'breaks'],
        ] as const
      "
      :model-value="body.load_path!"
      @update:model-value="(v) => edit('loads', (b) => (b.load_path = v))" />
    <p v-if="body.load_path !== 'off'" class="mute small">
      Weight, fields, contacts, ties and its own motion; a take shows them under Run, coloured by load.
    </p>
  </Section>
  <Section v-if="body && body.role === 'active'" title="Free">
    <Choices
      label="free"
      column
      ids="release-"
      :options="body.matter.kind === 'rigid' ? RELEASE : RELEASE.filter(([kind]) => kind !== 'intact')"
      :model-value="body.release.kind"
      @update:model-value="setRelease" />
    <ChoiceRow
      v-if="body.release.kind === 'touch' && (body.matter.kind === 'rigid' || body.pattern)"
      label="what goes"
      hint="one piece alone, or the whole chunk it belongs to"
      :options="
        [
          ['piece', 'piece'],
          ['chunk', 'chunk'],
          ['body', 'all'],
        ] as const
      "
      :model-value="body.release.part!"
      @update:model-value="(v) => edit('release', (b) => ((b.release as { part: string }).part = v))" />
    <NumberRow
      v-if="body.release.kind === 'cue'"
      label="time"
      hint="when it is let go"
      unit="s"
      :min="0"
      :model-value="body.release.time!"
      @update:model-value="(v) => edit('release', (b) => ((b.release as { time: number }).time = v))" />
  </Section>
  <BodyList v-if="shot.things.length" :figure="(t) => joints(t.body, t.name)" />
  <Section title="Ties" note="body to body, or to the world">
    <ElButton
      v-for="t in shot.ties"
      :key="t.name"
      class="bare anchor"
      :class="{ chosen: view.selection?.kind === 'tie' && view.selection.name === t.name, off: !t.on }"
      :style="{ color: FAMILY_COLOR.holds }"
      @click="view.select({ kind: 'tie', name: t.name })">
      <Glyph :name="t.how.kind" /><b>{{ t.name }}</b
      ><span class="figures">{{ t.breaks ? `${showNumber(t.breaks, 3)} kN` : (t.to ?? "world") }}</span>
    </ElButton>
    <div class="tiles kinds">
      <ElButton
        size="small"
        v-for="kind in tieKinds(shot.bodies, shot.groups)"
        :key="kind"
        v-hint="TIES[kind]"
        :aria-pressed="view.placing?.kind === kind"
        :disabled="!shot.bodies.length"
        :data-testid="`add-${kind}`"
        @click="placeNew(kind)">
        <Glyph :name="kind" :size="14" />{{ kind }}
      </ElButton>
    </div>
  </Section>
  <Section title="Anchors" note="held from the start">
    <ElButton
      v-for="f in anchors"
      :key="f.name"
      class="bare anchor"
      :class="{ chosen: view.selection?.name === f.name }"
      :style="{ color: FAMILY_COLOR.holds }"
      @click="view.select({ kind: 'field', name: f.name })">
      <Glyph name="anchor" /><b>{{ f.name }}</b
      ><span class="figures">{{
        survey.totals(f.name).known ? `holds ${survey.totals(f.name).pieces}` : "counting"
      }}</span>
    </ElButton>
    <ElButton class="wide" data-testid="add-anchor" @click="add('anchor')">
      <Glyph name="plus" />Add an anchor
    </ElButton>
  </Section>
</template>

<style scoped>
.counts {
  margin: 8px 0;
}
.counts p {
  display: flex;
  justify-content: space-between;
  line-height: 1.8;
  color: var(--soft);
}
.counts b {
  font-weight: 500;
  color: var(--chalk);
}
.more {
  display: flex;
  flex-wrap: wrap;
  gap: 4px 14px;
  font-size: 12px;
  color: var(--soft);
}
.small {
  font-size: 12px;
}
.column {
  flex-direction: column;
}
.bars {
  margin-bottom: 8px;
}
.bars p {
  position: relative;
  display: flex;
  justify-content: space-between;
  padding: 2px 8px;
  margin-bottom: 4px;
  background: var(--basalt-2);
  border-radius: 3px;
  overflow: hidden;
}
.bars i {
  position: absolute;
  left: 0;
  top: 0;
  bottom: 0;
}
.bars .hold {
  background: color-mix(in srgb, var(--brass) 55%, var(--basalt-2));
}
.bars .load {
  background: color-mix(in srgb, var(--ember) 55%, var(--basalt-2));
}
.bars span,
.bars b {
  position: relative;
  font-weight: 500;
}
.anchor {
  display: flex;
  gap: 8px;
  align-items: center;
  width: 100%;
  height: 28px;
  border: 0;
  background: none;
  cursor: pointer;
  border-radius: var(--radius);
  padding: 0 6px;
  margin-bottom: 4px;
}
.anchor.chosen {
  background: var(--basalt-3);
}
.anchor.off {
  opacity: 0.45;
}
.kinds {
  display: grid;
  grid-template-columns: 1fr 1fr;
}
.kinds button {
  display: flex;
  gap: 5px;
  align-items: center;
  justify-content: center;
  padding: 0 4px;
}
.anchor b {
  flex: 1;
  text-align: left;
  font-weight: 600;
}
.anchor span {
  color: var(--soft);
}
</style>
