<script setup lang="ts">
import { ElButton } from "element-plus";
import { computed } from "vue";
import Glyph from "../components/Glyph.vue";
import { differences } from "../lib/document";
import { momentsOf } from "../lib/moments";
import { useShot } from "../stores/shot";
import { useTakes } from "../stores/takes";
import { useView, type ColorBy } from "../stores/view";
import Section from "../controls/Section.vue";
import Choices from "../controls/Choices.vue";

const shot = useShot();
const takes = useTakes();
const view = useView();
const emit = defineEmits<{ bake: [withoutFaulty?: boolean]; seek: [frame: number] }>();
const stale = computed(() => (takes.document && shot.document ? differences(takes.document, shot.document) : []));
const seen = computed<ColorBy[]>(() => [
  "material",
  "piece",
  "state",
  ...(takes.frames?.names.has("acted") ? (["fields"] as const) : []),
  ...(takes.frames?.names.has("load") ? (["load"] as const) : []),
]);
const maps = computed(() =>
  [...(takes.frames?.names ?? [])].flatMap((k) => (k.startsWith("map/") ? [k.slice(4)] : [])),
);
const WORD: Record<string, string> = {
  done: "whole",
  cancelled: "stopped",
  failed: "failed",
  baking: "baking",
  queued: "waiting",
};
const MOST = 200;
const moments = computed(() => momentsOf(takes.events));

function open(id: string): void {
  void takes.open(id);
  view.showing = "take";
  view.frame = 0;
}
</script>

<template>
  <div class="section">
    <div class="panel-head">
      <h2>Run</h2>
      <span>{{ takes.list.length }} {{ takes.list.length === 1 ? "take" : "takes" }}</span>
    </div>
    <div v-for="t in takes.list" :key="t.id" class="take" :class="{ chosen: takes.current?.id === t.id }">
      <ElButton class="bare open" @click="open(t.id)">
        <b class="figures">{{ String(t.number).padStart(2, "0") }}</b><span
          >{{ WORD[t.status] }} · {{ Math.max(0, t.frames_done) }} of {{ t.frames_total }} frames</span
        >
      </ElButton>
      <ElButton
        v-if="t.status === 'cancelled' || t.status === 'failed'"
        text
        class="icon"
        v-hint="'Go on from the last frame'"
        @click="takes.goOn(t.id, null)">
        <Glyph name="play" :size="12" />
      </ElButton>
      <ElButton
        v-if="t.status !== 'baking' && t.status !== 'queued'"
        text
        class="icon"
        v-hint="'Delete this take'"
        @click="takes.remove(t.id)">
        <Glyph name="cross" :size="12" />
      </ElButton>
      <p v-if="t.message" class="problem">{{ t.message }}</p>
    </div>
    <p v-if="!takes.list.length" class="mute">
      Nothing is baked yet.
      <ElButton link :disabled="!shot.things.length" @click="emit('bake')">Bake the shot</ElButton> to see it fall.
    </p>
    <div v-if="takes.faulty.length" role="alert" data-testid="faulty">
      <p v-for="why in takes.faulty" :key="why" class="problem">{{ why }}</p>
      <ElButton class="wide" data-testid="bake-without" @click="emit('bake', true)">
        Bake without {{ takes.faulty.length === 1 ? "it" : "them" }}
      </ElButton>
    </div>
    <p v-if="takes.problem" class="problem" role="alert">{{ takes.problem }}</p>
  </div>
  <Section v-if="stale.length" title="Out of date">
    <p v-for="s in stale.slice(0, 8)" :key="s" class="note">{{ s }}</p>
  </Section>
  <Section v-if="takes.current" title="See" note="colour by">
    <Choices
      label="colour by"
      class="maps"
      ids="see-"
      :options="seen.map((c) => [c, c] as const)"
      :model-value="view.colorBy === 'map' ? null : view.colorBy"
      @update:model-value="(c) => (view.colorBy = c)" />
    <Choices
      v-if="maps.length"
      label="map"
      class="maps"
      ids="map-"
      :options="maps.map((m) => [m, m] as const)"
      :model-value="view.colorBy === 'map' ? view.map : null"
      @update:model-value="(m) => ((view.colorBy = 'map'), (view.map = m))" />
    <p v-if="view.colorBy === 'fields'" class="mute small">
      Each piece in the colour of what acted on it at this frame. Pick a piece to read which.
    </p>
  </Section>
  <Section v-if="moments.length" title="What broke, and why">
    <ElButton v-for="m in moments.slice(0, MOST)" :key="m.frame" class="bare moment" @click="emit('seek', m.frame)">
      <b class="figures">f {{ m.frame }}</b
      ><span v-hint="m.cause">{{ m.cause }}</span
      ><em v-if="m.broken" class="figures">{{ m.broken }}</em>
    </ElButton>
    <p v-if="moments.length > MOST" class="mute small">and {{ moments.length - MOST }} frames more</p>
  </Section>
</template>

<style scoped>
.take {
  display: flex;
  align-items: center;
  border-radius: var(--radius);
  flex-wrap: wrap;
}
.take.chosen {
  background: var(--basalt-3);
}
.open {
  flex: 1;
  display: flex;
  gap: 10px;
  align-items: center;
  background: none;
  border: 0;
  height: 30px;
  cursor: pointer;
  text-align: left;
  padding: 0 6px;
  min-width: 0;
}
.open span {
  color: var(--soft);
  font-size: 12px;
  white-space: nowrap;
}
.take .problem {
  width: 100%;
  padding: 0 8px 6px;
}
.maps {
  margin-top: 4px;
  flex-wrap: wrap;
}
.small {
  font-size: 12px;
  margin-top: 4px;
}
.moment {
  display: flex;
  gap: 10px;
  width: 100%;
  height: 24px;
  align-items: center;
  background: none;
  border: 0;
  cursor: pointer;
  border-radius: 3px;
  padding: 0 4px;
}
.moment:hover {
  background: var(--basalt-3);
}
.moment b {
  width: 46px;
  text-align: left;
  font-weight: 500;
  color: var(--accent);
}
.moment span {
  flex: 1;
  text-align: left;
  color: var(--soft);
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.moment em {
  font-style: normal;
  color: var(--ember);
}
</style>
