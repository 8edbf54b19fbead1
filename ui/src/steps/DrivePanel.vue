<script setup lang="ts">
import { ElButton } from "element-plus";
import { computed, onMounted, ref } from "vue";
import type { FieldItem, LibraryItem } from "../api/types";
import Glyph from "../components/Glyph.vue";
import ReachGrid from "../components/ReachGrid.vue";
import { useCommands } from "../composables/useCommands";
import {
  FAMILY,
  FAMILY_COLOR,
  freeName,
  newLayer,
  newMap,
  RAMPS,
  usersOf,
  type EffectKind,
  type Family,
} from "../lib/document";
import { EFFECTS } from "../lib/specs";
import { useLibrary } from "../stores/library";
import { useShot } from "../stores/shot";
import { useView, type ColorBy } from "../stores/view";
import type { Option } from "../controls/choices";
import { chosenFalloff, useNewField } from "./newField";
import Section from "../controls/Section.vue";
import ChoiceRow from "../controls/ChoiceRow.vue";
import SwitchRow from "../controls/SwitchRow.vue";

const shot = useShot();
const view = useView();
const add = useNewField();
const COLORS = computed<Option<ColorBy>[]>(() => [
  ["material", "material"],
  ["reach", "reach"],
  ...(shot.fields.some((f) => f.effect.kind === "wind") &&
  shot.things.some((t) => ["cloth", "soft"].includes(t.body.matter.kind))
    ? ([["pressure", "pressure", "what the chosen wind presses on what deforms"]] as Option<ColorBy>[])
    : []),
]);
const FAMILIES: [Family, string][] = [
  ["holds", "hold"],
  ["breaks", "break"],
  ["moves", "move"],
  ["ends", "end"],
];
const kinds = (family: Family): EffectKind[] =>
  (Object.keys(EFFECTS) as EffectKind[]).filter((k) => EFFECTS[k].family === family);
const falloffs = computed(() => shot.document?.falloffs ?? []);
const users = (name: string): number => usersOf(shot.document, name).length;
const library = useLibrary();
const commands = useCommands();
const copied = computed(() => commands.clip.value?.fields ?? []);
onMounted(() => void library.load());
const why = ref("");

function addFalloff(): void {
  const name = freeName(
    "falloff",
    falloffs.value.map((f) => f.name),
  );
  shot.edit(`add ${name}`, (d) =>
    d.falloffs.push({ name, layers: [newLayer([0, 1, 0], 3)], strength: 1, limits: [0, 1], channels: [] } as never),
  );
  view.select({ kind: "falloff", name });
}

function addMap(): void {
  const name = freeName(
    "map",
    shot.document!.maps.map((m) => m.name),
  );
  const thing = shot.things.find((t) => t.name === view.thing) ?? shot.things[0];
  const at = (thing?.body.place.position ?? [0, 1, 0]) as [number, number, number];
  shot.edit(`add ${name}`, (d) => d.maps.push(newMap(name, chosenFalloff(view), [...at], 2)));
  showMap(name);
}

function showMap(name: string): void {
  view.select({ kind: "map", name });
  view.map = name;
  view.colorBy = "map";
}

/** One from the library, as if it had been copied. */
function bring(one: LibraryItem): void {
  const items = { field: "fields", falloff: "falloffs" } as const;
  commands.insert({ [items[one.kind]]: [one.item] }, `bring ${one.item.name}`);
}
</script>

<template>
  <div class="section">
    <div class="panel-head">
      <h2>Reach</h2>
      <span>pieces in reach{{ view.frame > 0 && view.showing === "set-up" ? ` at f ${view.frame}` : " now" }}</span>
    </div>
    <ReachGrid v-if="shot.fields.length && shot.things.length" />
    <p v-else class="mute">Fields trigger, hold and shape the collapse. Add one to see what it reaches.</p>
  </div>
  <Section title="Add a field">
    <div v-for="[family, word] in FAMILIES" :key="family" class="family">
      <span class="mute">{{ word }}</span>
      <div class="kinds">
        <ElButton
          v-for="kind in kinds(family)"
          :key="kind"
          class="bare add"
          v-hint="EFFECTS[kind].why"
          :data-testid="`add-${kind}`"
          @mouseenter="why = EFFECTS[kind].why"
          @mouseleave="why = ''"
          @click="add(kind)">
          <Glyph :name="kind" :size="15" :style="{ color: FAMILY_COLOR[family] }" />{{ kind }}
        </ElButton>
      </div>
    </div>
    <p class="mute why">{{ why }}</p>
    <ElButton v-if="copied.length" class="wide gap" data-testid="paste-field" @click="commands.paste">
      <Glyph name="copy" />Paste {{ copied.map((f) => f.name).join(", ") }}
    </ElButton>
  </Section>
  <Section title="Shared falloffs" note="one reach, many users">
    <ElButton
      v-for="f in falloffs"
      :key="f.name"
      class="bare shared"
      :class="{ chosen: view.selection?.kind === 'falloff' && view.selection.name === f.name }"
      @click="view.select({ kind: 'falloff', name: f.name })">
      <Glyph name="falloff" /><b>{{ f.name }}</b
      ><span class="figures">{{ users(f.name) }} {{ users(f.name) === 1 ? "user" : "users" }}</span>
    </ElButton>
    <ElButton class="wide" data-testid="add-falloff" @click="addFalloff"> <Glyph name="plus" />Add a falloff </ElButton>
  </Section>
  <Section title="Maps" note="a number on every piece">
    <ElButton
      v-for="m in shot.document?.maps ?? []"
      :key="m.name"
      class="bare shared"
      :class="{ chosen: view.selection?.kind === 'map' && view.selection.name === m.name }"
      @click="showMap(m.name)">
      <Glyph name="map" /><b>{{ m.name }}</b
      ><i :style="{ background: `linear-gradient(90deg, ${RAMPS[m.ramp!].join(', ')})` }" />
    </ElButton>
    <ElButton class="wide" data-testid="add-map" @click="addMap"><Glyph name="plus" />Add a map</ElButton>
  </Section>
  <Section title="Library" note="for every shot">
    <div v-for="x in library.items" :key="x.kind + x.name" class="kept">
      <ElButton
        class="bare shared"
        :style="{
          color: x.kind === 'field' ? FAMILY_COLOR[FAMILY[(x.item as unknown as FieldItem).effect.kind]] : undefined,
        }"
        v-hint="'Bring it into this shot'"
        :data-testid="`bring-${x.name}`"
        @click="bring(x)">
        <Glyph :name="x.kind === 'field' ? (x.item as unknown as FieldItem).effect.kind : 'falloff'" /><b>{{
          x.name
        }}</b></ElButton
      ><ElButton text class="icon" v-hint="'Take it out of the library'" @click="library.drop(x)">
        <Glyph name="cross" :size="11" />
      </ElButton>
    </div>
    <p v-if="!library.items.length" class="mute small">
      What you keep from a field's or falloff's inspector is here in every shot.
    </p>
    <p v-if="library.problem" class="problem">{{ library.problem }}</p>
  </Section>
  <Section title="See">
    <ChoiceRow
      label="colour by"
      hint="what the colours of the pieces say"
      :options="COLORS"
      :model-value="view.colorBy"
      @update:model-value="(c) => (view.colorBy = c)" />
    <SwitchRow
      label="arrows"
      hint="which way, and how hard, the chosen field would push each piece"
      :model-value="view.arrows"
      @update:model-value="(v) => (view.arrows = v)" />
  </Section>
</template>

<style scoped>
.family {
  display: grid;
  grid-template-columns: 36px 1fr;
  align-items: start;
  gap: 4px;
  margin-bottom: 4px;
}
.family > span {
  font-size: 11.5px;
  line-height: 26px;
}
.kinds {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 3px;
}
.add {
  display: flex;
  align-items: center;
  gap: 4px;
  height: 26px;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--basalt-2);
  cursor: pointer;
  padding: 0 4px;
  font-size: 11.5px;
  min-width: 0;
  overflow: hidden;
  white-space: nowrap;
}
.add:hover {
  border-color: var(--line-strong);
  background: var(--basalt-3);
}
.gap {
  margin-top: 6px;
}
.why {
  height: 18px;
  font-size: 12px;
  white-space: nowrap;
  overflow: hidden;
}
.shared {
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
  color: var(--accent);
}
.shared.chosen {
  background: var(--basalt-3);
}
.shared b {
  flex: 1;
  text-align: left;
  font-weight: 600;
}
.shared span {
  color: var(--soft);
}
.shared i {
  width: 52px;
  height: 7px;
  border-radius: 3px;
}
.kept {
  display: flex;
  align-items: center;
}
.small {
  font-size: 12px;
}
</style>
