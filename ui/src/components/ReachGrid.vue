<script setup lang="ts">
/** Fields against bodies: how many pieces each reaches now; a crossing is a switch. */
import { ElButton } from "element-plus";
import { computed } from "vue";
import type { FieldItem } from "../api/types";
import { FAMILY, FAMILY_COLOR } from "../lib/document";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useView } from "../stores/view";
import Glyph from "./Glyph.vue";

const shot = useShot();
const survey = useSurvey();
const view = useView();
/** bodies above which their names stand upright */
const FEW = 3;
const columns = computed(() => {
  const many = shot.things.length > FEW;
  const all = shot.things.length > 1 ? " 26px" : "";
  return `minmax(${many ? 92 : 84}px, 1fr) repeat(${shot.things.length}, minmax(${many ? 34 : 40}px, 58px))${all}`;
});
const names = computed(() => shot.things.map((t) => t.name));
const allOn = (body: string): boolean => shot.fields.every((f) => targeted(f, body));
const targetsOf = (list: string[]): FieldItem["targets"] =>
  names.value.every((n) => list.includes(n)) ? "all" : names.value.filter((n) => list.includes(n));

/** All fields on or off for one body. */
function switchColumn(body: string): void {
  const off = allOn(body);
  shot.edit(`targets on ${body}`, (d) => {
    for (const f of d.fields as FieldItem[]) {
      const now = f.targets === "all" ? names.value : (f.targets as string[]);
      f.targets = targetsOf(off ? now.filter((n) => n !== body) : [...now, body]);
    }
  });
  view.showing = "set-up";
}

/** A field on all bodies, or on the chosen one, else the first, alone. */
function switchRow(f: FieldItem): void {
  const alone = view.thing ?? names.value[0]!;
  shot.editField(f.name, `targets of ${f.name}`, (x) => (x.targets = f.targets === "all" ? [alone] : "all"));
  view.showing = "set-up";
}
/** fields that reach nothing at any time of the run, as the preflight finds */
const empty = computed(() => {
  const found = new Set(survey.findings.filter((x) => x.code === "reaches-nothing").map((x) => x.about));
  return shot.fields.filter((f) => f.on && found.has(f.name));
});
const targeted = (f: FieldItem, body: string): boolean => f.targets === "all" || f.targets!.includes(body);

function toggle(f: FieldItem, body: string): void {
  shot.editField(f.name, `targets of ${f.name}`, (field) => {
    const names = field.targets === "all" ? shot.things.map((t) => t.name) : [...(field.targets as string[])];
    const next = names.includes(body) ? names.filter((n) => n !== body) : [...names, body];
    field.targets = next.length === shot.things.length ? "all" : next;
  });
  view.showing = "set-up";
}

function widen(f: FieldItem): void {
  shot.editField(f.name, `widen ${f.name}`, (field) => {
    for (const layer of field.reach.layers ?? [])
      if ("edge" in layer.shape) layer.shape.edge = Number(((layer.shape.edge ?? 0) * 1.5 + 0.5).toPrecision(3));
  });
  view.showing = "set-up";
}
</script>

<template>
  <div
    class="grid"
    :class="{ tall: shot.things.length > FEW }"
    :style="{ gridTemplateColumns: columns }"
    role="group"
    aria-label="Reach grid">
    <span class="corner" />
    <ElButton
      v-for="b in shot.things"
      :key="b.name"
      class="bare col"
      v-hint="`${b.name}: press to switch all fields ${allOn(b.name) ? 'off' : 'on'} for it`"
      @click="switchColumn(b.name)"
      ><span>{{ b.name }}</span></ElButton
    ><ElButton v-if="shot.things.length > 1" class="bare col all" v-hint="'whole rows, below'" disabled
      ><span>all</span></ElButton
    >
    <template v-for="f in shot.fields" :key="f.name">
      <ElButton
        class="bare name"
        :class="{ chosen: view.selection?.name === f.name, off: !f.on }"
        :style="{ color: FAMILY_COLOR[FAMILY[f.effect.kind]] }"
        @click="view.select({ kind: 'field', name: f.name })">
        <Glyph :name="f.effect.kind" :size="14" /><span>{{ f.name }}</span>
      </ElButton>
      <ElButton
        v-for="b in shot.things"
        :key="b.name"
        class="bare cell figures"
        :class="{
          none: targeted(f, b.name) && empty.includes(f),
          away: !targeted(f, b.name) || !f.on,
        }"
        :aria-pressed="targeted(f, b.name)"
        v-hint="
          `${f.name} ${targeted(f, b.name) ? 'acts' : 'does not act'} on ${b.name}: ${survey.crossing(f.name, b.name)?.pieces ?? 0} of ${survey.crossing(f.name, b.name)?.of ?? 0} ${survey.crossing(f.name, b.name)?.vertices ? 'vertices' : 'pieces'} in reach · click to switch`
        "
        @click="toggle(f, b.name)">
        {{ targeted(f, b.name) ? (survey.crossing(f.name, b.name)?.pieces ?? "…") : "–" }}
        <i
          v-if="targeted(f, b.name)"
          :style="{
            background: FAMILY_COLOR[FAMILY[f.effect.kind]],
            width: `${100 * ((survey.crossing(f.name, b.name)?.pieces ?? 0) / Math.max(1, survey.crossing(f.name, b.name)?.of ?? 1))}%`,
          }" />
      </ElButton>
      <ElButton
        v-if="shot.things.length > 1"
        class="bare cell"
        :class="{ away: f.targets !== 'all' }"
        :aria-pressed="f.targets === 'all'"
        v-hint="
          f.targets === 'all' ? `${f.name} acts on all; press for the chosen body alone` : `Let ${f.name} act on all`
        "
        @click="switchRow(f)"
        ><Glyph :name="f.targets === 'all' ? 'check' : 'plus'" :size="11"
      /></ElButton>
    </template>
  </div>
  <p v-for="f in empty" :key="f.name" class="note">
    {{ f.name }} reaches no piece. <ElButton link @click="widen(f)">Widen it</ElButton> or
    <ElButton link @click="shot.editField(f.name, `switch off ${f.name}`, (x) => (x.on = false))">
      switch it off</ElButton
    >.
  </p>
</template>

<style scoped>
.grid {
  display: grid;
  gap: 4px;
  align-items: center;
  overflow-x: auto;
}
.corner,
.name {
  position: sticky;
  left: 0;
  z-index: 1;
  background: var(--basalt-1);
}
.col {
  justify-content: center;
  font-size: 11px;
  color: var(--mute);
  min-width: 0;
}
.col:hover {
  color: var(--chalk);
}
.col span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.tall .col {
  align-self: end;
  height: 76px;
  align-items: end;
}
.tall .col span {
  writing-mode: vertical-rl;
  transform: rotate(180deg);
  max-height: 76px;
}
.name {
  display: flex;
  gap: 6px;
  align-items: center;
  min-width: 0;
  border: 0;
  border-radius: var(--radius);
  cursor: pointer;
  height: 28px;
  padding: 0 4px;
  font-weight: 600;
  font-size: 12px;
}
.name span {
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.name.chosen {
  background: var(--basalt-3);
}
.off {
  opacity: 0.45;
}
.cell {
  position: relative;
  justify-content: center;
  height: 28px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--basalt-2);
  cursor: pointer;
  overflow: hidden;
  padding: 0;
}
.cell:hover {
  border-color: var(--line-strong);
}
.cell i {
  position: absolute;
  left: 0;
  bottom: 0;
  height: 3px;
}
.cell.away {
  color: var(--mute);
  background: none;
}
.cell.none {
  border: 1px dashed var(--brass);
  color: var(--brass);
}
.note {
  margin-top: 8px;
}
</style>
