<script setup lang="ts">
/** How an animated body moves: steadily, or by keys. */
import { ElButton } from "element-plus";
import { computed } from "vue";
import type { Body } from "../api/types";
import { keyAt, standAt, withKey, type PlaceKey } from "../lib/motion";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import Glyph from "./Glyph.vue";
import NumberField from "../controls/NumberField.vue";
import NumberRow from "../controls/NumberRow.vue";
import Pick from "../controls/Pick.vue";
import { say } from "../lib/words";

const props = defineProps<{ name: string; body: Body }>();
const shot = useShot();
const view = useView();
const fps = computed(() => shot.document?.timing.fps ?? 24);
const now = computed(() => view.frame / fps.value);
const keys = computed(() => (props.body.motion?.keys ?? []) as PlaceKey[]);
const here = computed(() => (props.body.motion ? keyAt(props.body.motion, now.value, fps.value) : -1));
const HOW = [
  ["smooth", "smooth", "runs through the keys without a kink"],
  ["linear", "linear", "straight to the next key"],
  ["step", "step", "holds until the next key"],
  ["bezier", "curve", "follows its own curve"],
] as const;
const edit = (what: string, change: (b: Body) => void): void =>
  shot.editBody(props.name, `${what} of ${props.name}`, change);

function putKey(): void {
  edit("key", (b) => (b.motion = withKey(b.motion, now.value, fps.value, standAt(b, now.value))));
}

function goTo(key: PlaceKey): void {
  view.showing = "set-up";
  view.playing = false;
  view.frame = Math.round(key.time * fps.value);
}

function drop(row: number): void {
  edit("key", (b) => {
    const left = b.motion!.keys.filter((_, k) => k !== row);
    b.motion = left.length ? { keys: left } : null;
  });
}

function setTime(row: number, time: number): void {
  edit("key", (b) => {
    const others = b.motion!.keys.filter((_, k) => k !== row);
    if (others.some((k) => Math.abs(k.time! - time) < 1e-6)) return;
    b.motion = { keys: [...others, { ...b.motion!.keys[row]!, time }].sort((p, q) => p.time! - q.time!) };
  });
}

const editKey = (row: number, change: (k: PlaceKey) => void): void =>
  edit("key", (b) => change(b.motion!.keys[row] as PlaceKey));
</script>

<template>
  <header>
    <h3>Keys</h3>
    <span class="figures">{{ keys.length ? `${keys.length} · now f ${view.frame}` : "none: moves steadily" }}</span>
  </header>
  <div v-for="(k, row) in keys" :key="row" class="key" :class="{ here: row === here }">
    <ElButton class="bare peg" v-hint="`Go to f ${Math.round(k.time * fps)}`" @click="goTo(k)">
      <Glyph name="peg" :size="14" />
    </ElButton>
    <NumberField
      :label="`time of key ${row + 1}`"
      unit="s"
      :min="0"
      :max="100000"
      :step="1 / fps"
      :model-value="k.time"
      @update:model-value="(v) => setTime(row, v)" />
    <Pick
      :label="`how key ${row + 1} goes on`"
      :options="HOW"
      :model-value="k.how"
      @update:model-value="(how) => editKey(row, (x) => (x.how = how))" />
    <ElButton text class="icon" v-hint="'Take this key out'" @click="drop(row)"
      ><Glyph name="cross" :size="11"
    /></ElButton>
  </div>
  <ElButton class="wide" data-testid="put-key" @click="putKey">
    {{ here >= 0 ? `Key at f ${view.frame} is set` : `Key here, at f ${view.frame}` }}
  </ElButton>
  <p v-if="keys.length" class="mute small">Moving or turning it sets a key at the playhead.</p>
  <template v-if="here >= 0 && keys[here]!.how === 'bezier'">
    <NumberRow
      v-for="(word, k) in ['leave x', 'leave y', 'arrive x', 'arrive y']"
      :key="word"
      :label="word"
      :hint="say('PlaceKey.curve')"
      :min="k % 2 ? -10 : 0"
      :max="k % 2 ? 10 : 1"
      :model-value="keys[here]!.curve[k]!"
      @update:model-value="(v) => editKey(here, (x) => (x.curve[k] = v))" />
  </template>
</template>

<style scoped>
.key {
  display: grid;
  grid-template-columns: 22px 1fr 78px 22px;
  gap: 4px;
  align-items: center;
  margin-bottom: 3px;
  border-radius: var(--radius);
}
.key .button {
  padding: 0;
  height: 22px;
}
.peg {
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
  color: var(--mute);
  display: grid;
  place-items: center;
  height: 26px;
}
.key.here .peg {
  color: var(--accent);
}
.small {
  font-size: 12px;
  margin: 6px 0 0;
}
.wide {
  margin-top: 4px;
}
</style>
