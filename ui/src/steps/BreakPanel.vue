<script setup lang="ts">
import { ElButton, ElSlider } from "element-plus";
import { computed } from "vue";
import BodyList from "../components/BodyList.vue";
import ChoiceRow from "../controls/ChoiceRow.vue";
import NumberRow from "../controls/NumberRow.vue";
import PatternEditor from "../components/PatternEditor.vue";
import ReachEditor from "../components/ReachEditor.vue";
import type { Body, BreakStep, FieldItem, Pattern, StepPattern } from "../api/types";
import { newPattern } from "../lib/document";
import { breakBody } from "../lib/matter";
import { sayLost } from "../lib/lost";
import { partsOf, pieceFigures } from "../lib/pieces";
import { showMass } from "../lib/units";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import Section from "../controls/Section.vue";
import SwitchRow from "../controls/SwitchRow.vue";
import { say } from "../lib/words";

const shot = useShot();
const pieces = usePieces();
const view = useView();
const chosen = computed(() => shot.things.find((t) => t.name === view.thing));
const body = computed(() => chosen.value?.body);
const figures = computed(() => (chosen.value ? pieces.built.get(chosen.value.name)?.figures : undefined));
const size = computed(() => figures.value?.size ?? [2, 2, 2]);
const packed = computed(() => (chosen.value ? pieces.packedOf(chosen.value.name) : undefined));
const tiers = computed(() => (packed.value ? pieceFigures(partsOf(packed.value)).tiers : 0));
const FIRST = ["cells", "radial", "slabs", "bricks", "splinters", "faces"] as const;
const AGAIN = ["cells", "radial", "slabs", "bricks", "splinters", "chunks"] as const;
const OF = [
  ["all", "all"],
  ["pieces", "picked"],
  ["larger", "larger"],
  ["reach", "falloff"],
] as const;
const COLORS = [
  ["material", "material"],
  ["piece", "piece"],
  ["tier", "tier"],
  ["size", "size"],
] as const;
const AXES = [
  [-1, "off"],
  [0, "x"],
  [1, "y"],
  [2, "z"],
] as const;

function edit(what: string, change: (b: Body) => void): void {
  const name = chosen.value!.name;
  shot.editBody(name, `${what} of ${name}`, change);
  view.showing = "set-up";
}

function breakIt(kind: Pattern["kind"]): void {
  let lost: string[] = [];
  edit("break", (b) => (lost = breakBody(b, newPattern(kind, size.value) as Pattern)));
  sayLost(`${chosen.value!.name} is in pieces now`, lost);
  view.colorBy = "piece";
}

function setPattern(pattern: Pattern | StepPattern, what: string): void {
  edit(what, (b) => {
    b.pattern = pattern as Pattern;
    if (b.bonds) b.bonds.cut = []; // numbers of pieces mean others now
  });
}

function mend(): void {
  edit("break", (b) => {
    b.pattern = null;
    b.breaks = [];
  });
  view.colorBy = "material";
}

const editStep = (k: number, what: string, change: (s: BreakStep) => void): void =>
  edit(what, (b) => {
    change(b.breaks[k] as BreakStep);
    if (b.bonds) b.bonds.cut = [];
  });

function again(): void {
  const picked = [...view.picked];
  edit("break again", (b) => {
    b.breaks.push({
      of: picked.length ? { kind: "pieces", pieces: picked } : { kind: "all" },
      pattern: { ...(newPattern("cells", size.value) as StepPattern), count: 6 } as StepPattern,
    });
    if (b.bonds) b.bonds.cut = [];
  });
  view.picked = [];
  view.colors = { ...view.colors, "set-up": "tier" };
}

function setOf(k: number, kind: BreakStep["of"]["kind"]): void {
  const big = Math.max(...size.value);
  const round = (x: number): number => Number(x.toPrecision(2));
  const reach = {
    layers: [
      {
        shape: {
          kind: "box",
          center: [0, 0, 0],
          rotation: [0, 0, 0, 1],
          core: [round(big / 2), round(big / 2), round(big / 2)],
          edge: 0,
        },
        profile: "smooth",
        invert: false,
        blend: "normal",
        opacity: 1,
      },
    ],
  } as FieldItem["reach"];
  const made: Record<string, BreakStep["of"]> = {
    all: { kind: "all" },
    pieces: { kind: "pieces", pieces: view.picked.length ? [...view.picked] : [0] },
    larger: {
      kind: "larger",
      size: round(figures.value ? Math.cbrt(figures.value.largest / figures.value.density) * 0.7 : 0.5),
    },
    reach: { kind: "reach", reach, above: 0.5 } as BreakStep["of"],
  };
  editStep(k, "choice", (s) => (s.of = made[kind]!));
}

const explode = (t: number, value: number): void => {
  view.explode = view.explode.map((e, k) => (k === t ? value : e));
  view.showing = "set-up";
};
</script>

<template>
  <div class="section">
    <div class="panel-head">
      <h2>Break</h2>
      <span>{{ chosen ? chosen.name : "pick a body" }}</span>
    </div>
    <template v-if="body">
      <template v-if="body.pattern">
        <PatternEditor :model-value="body.pattern" :kinds="FIRST" :size="size" @update:model-value="setPattern" />
        <ElButton class="wide" @click="mend">Make it whole</ElButton>
      </template>
      <template v-else>
        <ElButton type="primary" class="wide" data-testid="break-it" @click="breakIt('cells')">
          Break {{ chosen!.name }} into cells
        </ElButton>
        <p class="or mute">or into</p>
        <div class="tiles">
          <ElButton v-for="k in FIRST.slice(1)" :key="k" size="small" :data-testid="`break-${k}`" @click="breakIt(k)">{{
            k
          }}</ElButton>
        </div>
      </template>
      <p v-if="pieces.errors.get(chosen!.name)" class="problem" role="alert" data-testid="break-problem">
        {{ pieces.errors.get(chosen!.name) }}
        <ElButton
          v-if="pieces.stopped.has(chosen!.name)"
          link
          data-testid="break-after-all"
          @click="pieces.goOn(chosen!)"
          >break it after all</ElButton
        >
      </p>
    </template>
    <p v-else-if="shot.things.length" class="mute">Pick a body in the view or below, then break it.</p>
    <p v-else class="mute">
      There is nothing to break yet. <ElButton link @click="view.step = 'build'">Add a body</ElButton>
    </p>
  </div>
  <template v-if="body?.pattern">
    <div v-for="(step, k) in body.breaks as BreakStep[]" :key="k" class="section" :data-testid="`break-step-${k}`">
      <header>
        <h3>Then {{ step.pattern.kind === "chunks" ? "gather" : "break again" }}</h3>
        <ElButton
          link
          class="mute"
          v-hint="'Take this step out'"
          @click="edit('break step', (b) => b.breaks.splice(k, 1))">
          remove
        </ElButton>
      </header>
      <ChoiceRow
        label="which"
        :hint="say('BreakStep.of')"
        :options="OF"
        :model-value="step.of.kind"
        @update:model-value="(v) => setOf(k, v)" />
      <p v-if="step.of.kind === 'pieces'" class="mute small">
        {{ step.of.pieces.length }} {{ step.of.pieces.length === 1 ? "piece" : "pieces" }}:
        {{ step.of.pieces.slice(0, 8).join(", ") }}{{ step.of.pieces.length > 8 ? "…" : "" }}
        <ElButton v-if="view.picked.length" link @click="setOf(k, 'pieces')">
          use the {{ view.picked.length }} picked now
        </ElButton>
      </p>
      <NumberRow
        v-if="step.of.kind === 'larger'"
        label="larger than"
        :hint="say('LargerPieces.size')"
        unit="m"
        :min="0.0001"
        :model-value="step.of.size!"
        @update:model-value="(v) => editStep(k, 'size', (s) => ((s.of as { size: number }).size = v))" />
      <template v-if="step.of.kind === 'reach'">
        <ReachEditor
          label="inside"
          :model-value="step.of.reach"
          @update:model-value="
            (v) => editStep(k, 'reach', (s) => ((s.of as { reach: FieldItem['reach'] }).reach = v))
          " />
        <NumberRow
          label="value above"
          :hint="say('PiecesInReach.above')"
          :min="0.01"
          :max="1"
          :model-value="step.of.above!"
          @update:model-value="(v) => editStep(k, 'limit', (s) => ((s.of as { above: number }).above = v))" />
      </template>
      <PatternEditor
        :model-value="step.pattern"
        :kinds="AGAIN"
        :size="size"
        @update:model-value="(p, what) => editStep(k, what, (s) => (s.pattern = p as StepPattern))" />
    </div>
    <div class="section">
      <ElButton class="wide" data-testid="break-again" :disabled="tiers >= 4" @click="again">
        {{ view.picked.length ? `Break the ${view.picked.length} picked again` : "Break pieces again" }}
      </ElButton>
      <p class="mute small">Click a piece; Shift adds pieces, Shift-drag picks a box.</p>
    </div>
    <Section v-if="body.matter.kind === 'rigid'" title="Rough cuts" note="drawn only">
      <template v-if="body.roughness">
        <NumberRow
          label="bump size"
          :hint="say('Roughness.size')"
          unit="m"
          :min="0.001"
          :model-value="body.roughness.size!"
          @update:model-value="(v) => edit('roughness', (b) => (b.roughness!.size = v))" />
        <NumberRow
          label="depth"
          :hint="say('Roughness.depth')"
          unit="m"
          :min="0"
          :model-value="body.roughness.depth!"
          @update:model-value="(v) => edit('roughness', (b) => (b.roughness!.depth = v))" />
        <ElButton link class="mute small" @click="edit('roughness', (b) => (b.roughness = null))">smooth cuts</ElButton>
      </template>
      <ElButton
        v-else
        class="wide"
        @click="
          edit(
            'roughness',
            (b) =>
              (b.roughness = {
                size: Number((Math.max(...size) * 0.06).toPrecision(2)),
                depth: Number((Math.max(...size) * 0.01).toPrecision(2)),
                seed: 1,
              }),
          )
        ">
        Roughen the cut faces
      </ElButton>
    </Section>
  </template>
  <BodyList v-if="shot.things.length" :figure="(t) => `${pieces.built.get(t.name)?.figures.pieces ?? '…'} pc`" />
  <Section title="See">
    <ChoiceRow
      label="colour by"
      hint="what the colours of the pieces say"
      :options="COLORS"
      :model-value="view.colorBy as 'material'"
      @update:model-value="(c) => (view.colorBy = c)" />
    <div v-for="t in Math.max(1, tiers)" :key="t" class="row">
      <label>{{ tiers > 1 ? `explode ${t}` : "explode" }}</label
      ><ElSlider
        :model-value="view.explode[t - 1]"
        :min="0"
        :max="1.5"
        :step="0.01"
        :show-tooltip="false"
        :aria-label="`explode tier ${t}`"
        :data-testid="t === 1 ? 'explode' : `explode-${t}`"
        @input="(v) => explode(t - 1, v as number)" />
    </div>
    <ChoiceRow
      label="cut open"
      hint="the view ends at a plane, so that the inside is seen"
      :options="AXES"
      :model-value="view.section?.axis ?? -1"
      @update:model-value="
        (a) => (view.section = a < 0 ? null : { axis: a as 0, share: view.section?.share ?? 0.5 })
      " />
    <div v-if="view.section" class="row">
      <label>at</label
      ><ElSlider
        v-model="view.section.share"
        :min="0"
        :max="1"
        :step="0.01"
        :show-tooltip="false"
        aria-label="section" />
    </div>
    <SwitchRow
      label="cut lines"
      hint="the edges of every face are drawn"
      :model-value="view.wire"
      @update:model-value="(v) => (view.wire = v)" />
  </Section>
  <div v-if="figures && figures.pieces > 1" class="section figures counts" data-testid="break-figures">
    <p><span>pieces</span><b>{{ figures.pieces }}</b></p>
    <p v-if="figures.smallest"><span>smallest</span><b>{{ showMass(figures.smallest) }}</b></p>
    <p v-if="figures.largest"><span>largest</span><b>{{ showMass(figures.largest) }}</b></p>
    <p><span>triangles</span><b>{{ figures.triangles.toLocaleString("en") }}</b></p>
  </div>
</template>

<style scoped>
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
.problem {
  margin-top: 8px;
}
.or {
  margin: 8px 0 4px;
  font-size: 12px;
}
.wrap {
  flex-wrap: wrap;
}
.small {
  font-size: 12px;
}
</style>
