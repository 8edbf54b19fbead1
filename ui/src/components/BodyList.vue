<script setup lang="ts">
/** Bodies and groups to choose from, with a figure each. */
import { ElButton, ElInput } from "element-plus";
import { computed, ref } from "vue";
import { freeName, layoutCount } from "../lib/document";
import { showNumber } from "../lib/units";
import { usePieces } from "../stores/pieces";
import { useShot, type Thing } from "../stores/shot";
import { useView } from "../stores/view";
import Glyph from "./Glyph.vue";
import ThingMenu from "./ThingMenu.vue";
import TextField from "../controls/TextField.vue";

defineProps<{ figure: (thing: Thing) => string }>();
/** bodies above which they can be searched */
const FEW = 6;
const wanted = ref("");
const renaming = ref("");
const menu = ref<InstanceType<typeof ThingMenu> | null>(null);
const seen = computed(() => shot.things.filter((t) => t.name.toLowerCase().includes(wanted.value.toLowerCase())));
const kindOf = (t: Thing): "group" | "body" => (t.group ? "group" : "body");
const isChosen = (name: string): boolean => view.chosen.some((c) => c.name === name && c.kind !== "field");

/** Alone; with Ctrl beside what is chosen; with Shift all from the chosen one to here. */
function choose(t: Thing, event: MouseEvent): void {
  const one = { kind: kindOf(t), name: t.name };
  if (event.ctrlKey || event.metaKey) return view.select(one, true);
  const from = seen.value.findIndex((x) => x.name === view.thing);
  const to = seen.value.indexOf(t);
  if (!event.shiftKey || from < 0) return view.select(one);
  const between = seen.value.slice(Math.min(from, to), Math.max(from, to) + 1).filter((x) => !isChosen(x.name));
  for (const x of between) view.select({ kind: kindOf(x), name: x.name }, true);
}

function rename(t: Thing, name: string): void {
  renaming.value = "";
  const clean = name.trim().slice(0, 80);
  if (!clean || clean === t.name) return;
  const free = freeName(
    clean,
    shot.things.map((x) => x.name),
  );
  shot.rename(t.name, free);
  view.select({ kind: kindOf(t), name: free });
}
/** groups whose members are listed */
const opened = ref<string[]>([]);
/** members that are listed of a group at most */
const MOST = 60;
interface Member {
  copy: number;
  at: string;
}
function membersOf(t: Thing): Member[] {
  const position = pieces.members.get(t.name)?.position as Float32Array | undefined;
  return Array.from({ length: Math.min(MOST, (position?.length ?? 0) / 3) }, (_, copy) => ({
    copy,
    at: [...position!.subarray(copy * 3, copy * 3 + 3)].map((x) => showNumber(x, 3)).join(", "),
  }));
}
function toggle(name: string): void {
  opened.value = opened.value.includes(name) ? opened.value.filter((n) => n !== name) : [...opened.value, name];
}
function visit(t: Thing, copy: number): void {
  view.select({ kind: "group", name: t.name });
  view.showing = "set-up";
  view.wanted = { name: t.name, copy };
}
const shot = useShot();
const pieces = usePieces();
const view = useView();
</script>

<template>
  <div class="section list">
    <ElInput
      v-if="shot.things.length > FEW"
      v-model="wanted"
      class="find"
      size="small"
      clearable
      placeholder="find a body"
      aria-label="find a body" />
    <template v-for="t in seen" :key="t.name">
      <div
        class="item"
        :class="{ chosen: isChosen(t.name), off: view.hidden.includes(t.name) }"
        :data-name="t.name"
        @contextmenu.prevent="menu?.open($event, t)">
        <TextField
          v-if="renaming === t.name"
          class="name"
          now
          label="name of the body"
          :most="80"
          :model-value="t.name"
          @update:model-value="(n) => rename(t, n)"
          @left="renaming = ''" />
        <ElButton v-else class="bare name" @click="choose(t, $event)" @dblclick="renaming = t.name">
          <i :style="{ background: t.body.material.look?.color }" :class="{ many: t.group }" /><span
            >{{ t.name }}<small v-if="t.group"> × {{ layoutCount(t.group.layout) }}</small></span
          >
          <em v-if="pieces.stopped.has(t.name)" class="figures">stopped</em
          ><em v-else-if="pieces.errors.get(t.name)" class="problem">unusable</em
          ><em v-else class="figures">{{ figure(t) }}</em>
        </ElButton>
        <ElButton
          v-if="t.group"
          class="bare mark"
          :class="{ on: opened.includes(t.name) }"
          :aria-expanded="opened.includes(t.name)"
          v-hint="opened.includes(t.name) ? 'Fold its members' : 'List its members'"
          :data-testid="`members-${t.name}`"
          @click="toggle(t.name)"
          ><Glyph :name="opened.includes(t.name) ? 'down' : 'forth'" :size="10"
        /></ElButton>
        <ElButton
          class="bare mark"
          :class="{ on: view.hidden.includes(t.name) }"
          v-hint="view.hidden.includes(t.name) ? `Show ${t.name} (H)` : `Hide ${t.name} (H)`"
          @click="view.toggleHidden(t.name)"
          ><Glyph :name="view.hidden.includes(t.name) ? 'hidden' : 'seen'" :size="13"
        /></ElButton>
        <ElButton
          class="bare mark"
          :class="{ on: view.locked.includes(t.name) }"
          v-hint="view.locked.includes(t.name) ? `Let ${t.name} be moved (O)` : `Hold ${t.name} in place (O)`"
          @click="view.toggleLocked(t.name)"
          ><Glyph :name="view.locked.includes(t.name) ? 'locked' : 'loose'" :size="13"
        /></ElButton>
      </div>
      <template v-if="t.group && opened.includes(t.name)">
        <ElButton
          v-for="m in membersOf(t)"
          :key="m.copy"
          class="bare member figures"
          v-hint="'Bring it into view'"
          @click="visit(t, m.copy)"
          ><span>{{ m.copy + 1 }}</span><em>{{ m.at }} m</em></ElButton
        >
        <p v-if="layoutCount(t.group.layout) > MOST" class="mute more">
          and {{ layoutCount(t.group.layout) - MOST }} more
        </p>
      </template>
    </template>
    <p v-if="!seen.length" class="mute none">No body has these letters.</p>
    <ThingMenu ref="menu" @rename="(name) => (renaming = name)" />
  </div>
</template>

<style scoped>
.list {
  padding: 6px 0;
}
.find {
  padding: 0 14px 6px;
}
.none {
  padding: 0 14px;
}
.item {
  display: flex;
  align-items: center;
  height: 28px;
  padding-right: 10px;
}
.name {
  flex: 1;
  gap: 9px;
  height: 28px;
  min-width: 0;
  padding: 0 4px 0 14px;
}
.mark {
  width: 20px;
  height: 28px;
  justify-content: center;
  color: var(--mute);
  opacity: 0;
}
.item:hover .mark,
.mark:focus-visible,
.mark.on {
  opacity: 1;
}
.member {
  display: flex;
  justify-content: space-between;
  width: 100%;
  height: 22px;
  padding: 0 14px 0 36px;
  color: var(--soft);
  font-size: 11.5px;
}
.member:hover {
  background: var(--basalt-2);
}
.member em {
  font-style: normal;
  color: var(--mute);
}
.more {
  padding: 2px 14px 4px 36px;
  font-size: 11.5px;
}
.off .name {
  opacity: 0.5;
}
.item:hover {
  background: var(--basalt-2);
}
.item.chosen {
  background: var(--basalt-3);
}
.item i {
  width: 11px;
  height: 11px;
  border-radius: 3px;
  flex: none;
}
.item i.many {
  box-shadow:
    3px -3px 0 -1px var(--basalt-1),
    4px -4px 0 -1px var(--mute);
}
.item span {
  flex: 1;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.item small {
  color: var(--mute);
  font-size: 11.5px;
}
.item em {
  font-style: normal;
  color: var(--mute);
}
.item em.problem {
  color: var(--ember);
}
</style>
