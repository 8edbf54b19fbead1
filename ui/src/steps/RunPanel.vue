<script setup lang="ts">
import { computed } from "vue";
import Glyph from "../components/Glyph.vue";
import { differences } from "../lib/document";
import { momentsOf } from "../lib/moments";
import { useShot } from "../stores/shot";
import { useTakes } from "../stores/takes";
import { useView, type ColorBy } from "../stores/view";

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
      <button class="open" @click="open(t.id)">
        <b class="figures">{{ String(t.number).padStart(2, "0") }}</b><span
          >{{ WORD[t.status] }} · {{ Math.max(0, t.frames_done) }} of {{ t.frames_total }} frames</span
        >
      </button>
      <button
        v-if="t.status === 'cancelled' || t.status === 'failed'"
        class="button plain"
        title="Go on from the last frame"
        @click="takes.goOn(t.id, null)">
        <Glyph name="play" :size="12" />
      </button>
      <button
        v-if="t.status !== 'baking' && t.status !== 'queued'"
        class="button plain"
        title="Delete this take"
        @click="takes.remove(t.id)">
        <Glyph name="cross" :size="12" />
      </button>
      <p v-if="t.message" class="problem">{{ t.message }}</p>
    </div>
    <p v-if="!takes.list.length" class="mute">
      Nothing is baked yet.
      <button class="link" :disabled="!shot.things.length" @click="emit('bake')">Bake the shot</button> to see it fall.
    </p>
    <div v-if="takes.faulty.length" role="alert" data-testid="faulty">
      <p v-for="why in takes.faulty" :key="why" class="problem">{{ why }}</p>
      <button class="button wide" data-testid="bake-without" @click="emit('bake', true)">
        Bake without {{ takes.faulty.length === 1 ? "it" : "them" }}
      </button>
    </div>
    <p v-if="takes.problem" class="problem" role="alert">{{ takes.problem }}</p>
  </div>
  <div v-if="stale.length" class="section">
    <header><h3>Out of date</h3></header>
    <p v-for="s in stale.slice(0, 8)" :key="s" class="note">{{ s }}</p>
  </div>
  <div v-if="takes.current" class="section">
    <header>
      <h3>See</h3>
      <span>colour by</span>
    </header>
    <div class="choices maps">
      <button
        v-for="c in seen"
        :key="c"
        :aria-pressed="view.colorBy === c"
        :data-testid="`see-${c}`"
        @click="view.colorBy = c">
        {{ c }}
      </button>
    </div>
    <div v-if="maps.length" class="choices maps">
      <button
        v-for="m in maps"
        :key="m"
        :aria-pressed="view.colorBy === 'map' && view.map === m"
        :data-testid="`map-${m}`"
        @click="((view.colorBy = 'map'), (view.map = m))">
        {{ m }}
      </button>
    </div>
    <p v-if="view.colorBy === 'fields'" class="mute small">
      Each piece in the colour of what acted on it at this frame. Pick a piece to read which.
    </p>
  </div>
  <div v-if="moments.length" class="section">
    <header><h3>What broke, and why</h3></header>
    <button v-for="m in moments.slice(0, MOST)" :key="m.frame" class="moment" @click="emit('seek', m.frame)">
      <b class="figures">f {{ m.frame }}</b
      ><span :title="m.cause">{{ m.cause }}</span
      ><em v-if="m.broken" class="figures">{{ m.broken }}</em>
    </button>
    <p v-if="moments.length > MOST" class="mute small">and {{ moments.length - MOST }} frames more</p>
  </div>
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
