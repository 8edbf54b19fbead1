<script setup lang="ts">
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu, ElPopover } from "element-plus";
import { onKeyStroke } from "@vueuse/core";
import { computed, ref } from "vue";
import { differences } from "../lib/document";
import { showTime } from "../lib/units";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useTakes } from "../stores/takes";
import { useView, type Step } from "../stores/view";
import Glyph from "./Glyph.vue";
import NameField from "../controls/NameField.vue";

const shot = useShot();
const takes = useTakes();
const survey = useSurvey();
const view = useView();
const emit = defineEmits<{ bake: []; home: [] }>();
const WORDS = {
  saved: "saved",
  saving: "saving",
  unsaved: "saving",
  offline: "not saved: cannot reach Dynaclast",
  conflict: "changed elsewhere",
  refused: "not saved",
};
const KEEP = "Stop here and keep what is done";
const stale = computed(() => (takes.document && shot.document ? differences(takes.document, shot.document) : []));
const progress = computed(() => {
  const take = takes.baking;
  if (!take) return null;
  const share = take.frames_done < 0 ? 0 : take.frames_done / take.frames_total;
  if (take.status === "queued") {
    const first = take.ahead;
    const text = !first ? "Starting" : first.bakes === 1 ? "Waiting for a bake" : `Waiting for ${first.bakes} bakes`;
    const hint = first ? `Take ${number(first.number)} of ${first.shot} comes first. Click to take yours back` : KEEP;
    return { share, text, hint, id: take.id };
  }
  const doing =
    take.frames_done >= 0
      ? `Baking ${take.frames_done} / ${take.frames_total}`
      : `Preparing ${Math.floor(100 * Math.min(1, take.prepared))} %`;
  const text = take.left === null ? doing : `${doing} · ${showTime(take.left)}`;
  return { share, text, hint: KEEP, id: take.id };
});
function number(n: number): string {
  return String(n).padStart(2, "0");
}

const listing = ref(false);
onKeyStroke("Escape", (event) => {
  if (!listing.value) return;
  listing.value = false;
  event.stopImmediatePropagation();
});
const word = computed(() =>
  shot.state === "refused" && shot.refused.length
    ? `saved, but for ${shot.refused.length === 1 ? "one value" : `${shot.refused.length} values`}`
    : WORDS[shot.state],
);

function goTo(step: string, about: string): void {
  listing.value = false;
  view.step = step as Step;
  if (!about) return;
  const thing = shot.things.find((t) => t.name === about);
  if (thing) view.select({ kind: thing.group ? "group" : "body", name: about });
  else if (shot.ties.some((t) => t.name === about)) view.select({ kind: "tie", name: about });
  else if (shot.fields.some((f) => f.name === about)) view.select({ kind: "field", name: about });
}
</script>

<template>
  <header class="top">
    <ElButton class="bare brand" v-hint="'All shots'" @click="emit('home')">
      <img src="/mark.svg" alt="" width="22" height="22" /><b>dynaclast</b>
    </ElButton>
    <span class="slash">/</span>
    <h1>
      <NameField
        v-if="shot.document"
        :name="shot.document.name"
        :taken="[]"
        @rename="(n) => shot.edit('rename the shot', (d) => (d.name = n))" />
    </h1>
    <span class="chip" :class="shot.state" data-testid="save-state" v-hint="shot.refusal">{{ word }}</span>
    <ElButton
      text
      class="icon"
      :disabled="!shot.undoLabel && shot.state === 'saved'"
      v-hint="shot.undoLabel ? `Undo ${shot.undoLabel} (Ctrl+Z)` : 'Nothing to undo'"
      data-testid="undo"
      @click="shot.step('undo')">
      <Glyph name="undo" />
    </ElButton>
    <ElButton
      text
      class="icon"
      :disabled="!shot.redoLabel"
      v-hint="shot.redoLabel ? `Redo ${shot.redoLabel} (Ctrl+Shift+Z)` : 'Nothing to redo'"
      data-testid="redo"
      @click="shot.step('redo')">
      <Glyph name="redo" />
    </ElButton>
    <span class="space" />
    <ElPopover
      v-if="survey.findings.length"
      v-model:visible="listing"
      trigger="click"
      :width="380"
      placement="bottom-end">
      <template #reference
        ><ElButton class="bare chip check" data-testid="preflight"
          >{{ survey.findings.length }} to check</ElButton
        ></template
      >
      <ElButton text class="icon shut" v-hint="'Close (Escape)'" @click="listing = false"
        ><Glyph name="cross" :size="11"
      /></ElButton>
      <ul class="findings">
        <li v-for="f in survey.findings" :key="f.code + f.about">
          <Glyph name="check" :style="{ color: f.grave === 'stop' ? 'var(--ember)' : 'var(--brass)' }" />
          <div>
            <p>{{ f.sentence }}</p>
            <ElButton link @click="goTo(f.step, f.about)">{{ f.remedy }}</ElButton>
          </div>
        </li>
      </ul>
    </ElPopover>
    <ElDropdown
      v-if="takes.list.length"
      trigger="click"
      placement="bottom-end"
      @command="
        (id: string) => {
          takes.open(id);
          view.showing = 'take';
          view.frame = 0;
        }
      ">
      <ElButton class="bare chip" data-testid="take-chip">
        take <b class="figures">{{ takes.current ? number(takes.current.number) : "–" }}</b
        ><em v-if="stale.length" class="note" v-hint="stale.join('\n')"> · out of date</em>
      </ElButton>
      <template #dropdown>
        <ElDropdownMenu>
          <ElDropdownItem v-for="t in takes.list" :key="t.id" :command="t.id"
            >take {{ number(t.number) }} · {{ Math.max(0, t.frames_done) }} frames · {{ t.status }}</ElDropdownItem
          >
        </ElDropdownMenu>
      </template>
    </ElDropdown>
    <ElButton
      text
      class="icon"
      v-hint="view.theme === 'dark' ? 'Light theme' : 'Dark theme'"
      @click="view.setTheme(view.theme === 'dark' ? 'light' : 'dark')">
      <Glyph :name="view.theme === 'dark' ? 'sun' : 'moon'" />
    </ElButton>
    <ElButton
      v-if="progress"
      class="bare bake going"
      v-hint="progress.hint"
      data-testid="cancel"
      @click="takes.cancel(progress.id)">
      <i :style="{ width: `${progress.share * 100}%` }" /><span class="figures">{{ progress.text }}</span
      ><em><Glyph name="cross" :size="12" /></em>
    </ElButton>
    <ElButton
      v-else
      class="bare bake"
      :disabled="!shot.things.length || shot.state === 'refused' || shot.state === 'conflict'"
      v-hint="'Compute the shot (B)'"
      data-testid="bake"
      @click="emit('bake')">
      <span>Bake</span>
    </ElButton>
  </header>
</template>

<style scoped>
.top {
  display: flex;
  align-items: center;
  gap: 10px;
  height: 44px;
  padding: 0 12px;
  background: var(--basalt-1);
  border-bottom: 1px solid var(--line);
  min-width: 0;
}
.brand {
  display: flex;
  align-items: center;
  gap: 8px;
  background: none;
  border: 0;
  cursor: pointer;
  padding: 4px;
  font-size: 14px;
}
.brand b {
  font-weight: 700;
  letter-spacing: 0.01em;
}
:root[data-theme="light"] .brand img {
  filter: invert(0.82) hue-rotate(180deg);
}
.slash {
  color: var(--line-strong);
}
h1 {
  font-size: 14px;
  font-weight: 500;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
  min-width: 40px;
}
.chip {
  border: 1px solid var(--line-strong);
  border-radius: 20px;
  padding: 2px 11px;
  font-size: 12px;
  color: var(--soft);
  background: none;
  white-space: nowrap;
  max-width: 260px;
  overflow: hidden;
  text-overflow: ellipsis;
}
button.chip {
  cursor: pointer;
  height: 28px;
}
.chip b {
  color: var(--chalk);
  font-weight: 600;
}
.chip em {
  font-style: normal;
}
.chip.check {
  color: var(--brass);
  border-color: var(--brass);
}
.chip.conflict,
.chip.refused,
.chip.offline {
  color: var(--ember);
  border-color: var(--ember);
}
.space {
  flex: 1;
}
.bake {
  position: relative;
  justify-content: center;
  width: 190px;
  height: 32px;
  flex: none;
  border: 1px solid var(--accent);
  border-radius: var(--radius);
  background: var(--accent);
  color: var(--on-accent);
  font-weight: 700;
  cursor: pointer;
  overflow: hidden;
}
.bake:disabled {
  background: var(--basalt-3);
  border-color: var(--line);
  color: var(--mute);
  cursor: default;
}
.bake.going {
  width: auto;
  min-width: 190px;
  padding: 0 30px 0 12px;
  background: var(--accent-deep);
  color: var(--chalk);
  font-weight: 600;
  white-space: nowrap;
}
.bake i {
  position: absolute;
  inset: 0 auto 0 0;
  background: var(--accent);
  opacity: 0.55;
  transition: width 0.15s linear;
}
.bake span {
  position: relative;
}
.bake em {
  position: absolute;
  right: 8px;
  top: 9px;
}
.shut {
  position: absolute;
  right: 6px;
  top: 6px;
  height: 24px;
}
.findings {
  padding-right: 20px !important;
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 10px;
}
.findings li {
  display: flex;
  gap: 10px;
  color: var(--chalk);
}
.findings .link {
  color: var(--accent);
}
</style>
