<script setup lang="ts">
import { ElButton } from "element-plus";
import { computed, ref } from "vue";
import MomentRow from "../components/MomentRow.vue";
import TakeList from "../components/TakeList.vue";
import Pick from "../controls/Pick.vue";
import { differences } from "../lib/document";
import { limitsOf, momentsOf, type Moment } from "../lib/moments";
import { whyStill } from "../lib/still";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useTakes } from "../stores/takes";
import { useView, type ColorBy } from "../stores/view";
import Section from "../controls/Section.vue";
import Choices from "../controls/Choices.vue";

const shot = useShot();
const takes = useTakes();
const view = useView();
const survey = useSurvey();
const emit = defineEmits<{ bake: [withoutFaulty?: boolean]; seek: [frame: number] }>();
const stale = computed(() => (takes.document && shot.document ? differences(takes.document, shot.document) : []));
const has = (start: string): boolean => [...(takes.frames?.names ?? [])].some((n) => n.startsWith(start));
const seen = computed<ColorBy[]>(() => [
  "material",
  "piece",
  "state",
  ...(takes.frames?.names.has("acted") ? (["fields"] as const) : []),
  ...(takes.frames?.names.has("load") ? (["load"] as const) : []),
  ...(has("points/") ? (["stretch"] as const) : []),
  ...(has("tension/") ? (["tension"] as const) : []),
  ...(has("touch/") ? (["touch"] as const) : []),
  "speed",
]);
const maps = computed(() =>
  [...(takes.frames?.names ?? [])].flatMap((k) => (k.startsWith("map/") ? [k.slice(4)] : [])),
);
const MOST = 200;
const all = computed(() => momentsOf(takes.events));
const limits = computed(() => limitsOf(takes.events));
const cause = ref("");
const body = ref("");
const uniq = (words: readonly string[]): string[] => [...new Set(words)].filter(Boolean).sort();
const causes = computed(() => uniq(all.value.map((m) => m.cause)));
const bodies = computed(() => uniq(all.value.flatMap((m) => m.bodies)));
const moments = computed(() =>
  all.value.filter((m) => (!cause.value || m.cause === cause.value) && (!body.value || m.bodies.includes(body.value))),
);
const still = computed(() =>
  takes.current?.status === "done" ? whyStill(takes.document, takes.stats, survey.crossings) : "",
);

/** To the frame, with what broke there chosen and in sight. */
function goTo(m: Moment): void {
  emit("seek", m.frame);
  const thing = shot.things.find((t) => t.name === m.bodies[0]);
  if (thing) view.select({ kind: thing.group ? "group" : "body", name: thing.name });
  view.wanted = m.bodies.length ? "chosen" : null;
}
</script>

<template>
  <div class="section">
    <div class="panel-head">
      <h2>Run</h2>
      <span>{{ takes.list.length }} {{ takes.list.length === 1 ? "take" : "takes" }}</span>
    </div>
    <TakeList v-if="takes.list.length" />
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
  <Section v-if="still" title="Nothing happened">
    <p class="note" data-testid="still">{{ still }}</p>
    <ElButton link @click="view.step = 'drive'">Look at its fields</ElButton>
  </Section>
  <Section v-if="all.length" title="What happened, and why">
    <div v-if="causes.length > 1 || bodies.length > 1" class="filters">
      <Pick
        label="cause"
        :options="[['', 'any cause'], ...causes.map((c) => [c, c] as const)]"
        :model-value="cause"
        @update:model-value="(c) => (cause = c)" />
      <Pick
        v-if="bodies.length > 1"
        label="body"
        :options="[['', 'any body'], ...bodies.map((b) => [b, b] as const)]"
        :model-value="body"
        @update:model-value="(b) => (body = b)" />
    </div>
    <MomentRow
      v-for="m in moments.slice(0, MOST)"
      :key="m.frame"
      :first="m.frame"
      :last="m.until"
      :words="m.cause"
      :count="m.broken ? `${m.broken}` : ''"
      @click="goTo(m)" />
    <p v-if="!moments.length" class="mute small">Nothing of that kind.</p>
    <p v-if="moments.length > MOST" class="mute small">and {{ moments.length - MOST }} moments more</p>
  </Section>
  <Section v-if="limits.length" title="Held back by limits">
    <MomentRow
      v-for="l in limits.slice(0, MOST)"
      :key="l.what + l.body"
      :first="l.frame"
      :words="`${l.body}, ${l.what} limit`"
      :count="l.times > 1 ? `${l.times} ×` : ''"
      @click="emit('seek', l.frame)" />
  </Section>
</template>

<style scoped>
.filters {
  display: grid;
  gap: 4px;
  margin-bottom: 6px;
}
.maps {
  margin-top: 4px;
  flex-wrap: wrap;
}
.small {
  font-size: 12px;
  margin-top: 4px;
}
</style>
