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
const columns = computed(() => `minmax(70px, 1fr) repeat(${shot.things.length}, minmax(40px, 58px))`);
const empty = computed(() =>
  shot.fields.filter(
    (f) =>
      f.on &&
      f.effect.kind !== "kill" &&
      f.cue.kind !== "impact" &&
      survey.crossings.some((c) => c.field === f.name) &&
      survey.totals(f.name).pieces === 0,
  ),
);
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
  <div class="grid" :style="{ gridTemplateColumns: columns }" role="grid" aria-label="Reach grid">
    <span /><span v-for="b in shot.things" :key="b.name" class="col" v-hint="b.name">{{ b.name }}</span>
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
          none:
            targeted(f, b.name) &&
            f.on &&
            f.effect.kind !== 'kill' &&
            survey.crossing(f.name, b.name)?.pieces === 0 &&
            survey.totals(f.name).pieces === 0,
          away: !targeted(f, b.name) || !f.on,
        }"
        :aria-pressed="targeted(f, b.name)"
        v-hint="
          `${f.name} ${targeted(f, b.name) ? 'acts' : 'does not act'} on ${b.name}: ${survey.crossing(f.name, b.name)?.pieces ?? 0} of ${survey.crossing(f.name, b.name)?.of ?? 0} pieces in reach · click to switch`
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
.col {
  font-size: 11px;
  color: var(--mute);
  text-align: center;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.name {
  display: flex;
  gap: 6px;
  align-items: center;
  min-width: 0;
  background: none;
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
