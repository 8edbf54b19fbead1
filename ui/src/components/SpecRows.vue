<script setup lang="ts">
/** Rows to set what specs name of one thing. Numbers can be keyed where channels are handed in. */
import { ElButton } from "element-plus";
import { computed } from "vue";
import { fromAngles, toAngles, type Quat, type Vec } from "../lib/rotation";
import type { Channel } from "../lib/channels";
import { numberAt } from "../lib/channels";
import { valueAt, type Spec } from "../lib/specs";
import { useShot, type Thing } from "../stores/shot";
import { useView } from "../stores/view";
import ChoiceRow from "../controls/ChoiceRow.vue";
import Glyph from "./Glyph.vue";
import NumberField from "../controls/NumberField.vue";
import VectorField from "../controls/VectorField.vue";
import PickRow from "../controls/PickRow.vue";
import SwitchRow from "../controls/SwitchRow.vue";
import TimesField from "../controls/TimesField.vue";
import DirectionField from "../controls/DirectionField.vue";
import TextField from "../controls/TextField.vue";

const props = defineProps<{
  of: Record<string, unknown>;
  specs: readonly Spec[];
  units?: Record<string, string>;
  channels?: readonly Channel[];
  base?: string;
}>();
const emit = defineEmits<{ change: [key: string, value: unknown]; key: [path: string, value: number | null] }>();
const shot = useShot();
const view = useView();
const fps = computed(() => shot.document?.timing.fps ?? 24);
const all = (things: readonly Thing[]): readonly Thing[] => things;
const now = computed(() => view.frame / fps.value);
const rows = computed(() => props.specs.filter((s) => !s.when || s.when(props.of)));
const unit = (s: Spec): string => props.units?.[s.key] ?? s.unit ?? "";
const FACTOR = 180 / Math.PI;

const channelOf = (key: string): Channel | undefined =>
  props.channels?.find((c) => c.of === `${props.base ?? ""}${key}`);
const keyedHere = (key: string): boolean =>
  !!channelOf(key)?.keys.some((k) => Math.abs(k.time - now.value) < 0.5 / fps.value);
function raw(key: string): number {
  const channel = channelOf(key);
  return channel ? numberAt(channel, now.value) : (valueAt(props.of, key) as number);
}
const shown = (s: Spec, key = s.key): number => Number(((s.angle ? FACTOR : 1) * raw(key)).toPrecision(6));

/** A changed number goes to its channel, if it has one, as a key at the playhead. */
function give(s: Spec, value: number, key = s.key): void {
  const kept = s.angle ? value / FACTOR : value;
  if (channelOf(key)) emit("key", `${props.base ?? ""}${key}`, kept);
  else emit("change", key, kept);
}

function giveVector(s: Spec, v: Vec): void {
  const before = [0, 1, 2].map((k) => raw(`${s.key}.${k}`));
  if ([0, 1, 2].some((k) => channelOf(`${s.key}.${k}`)))
    v.forEach((x, k) => x !== before[k] && give(s, x, `${s.key}.${k}`));
  else emit("change", s.key, v);
}

function toggle(paths: string[]): void {
  const here = paths.every((p) => keyedHere(p));
  for (const p of paths) emit("key", `${props.base ?? ""}${p}`, here ? null : raw(p));
}

const angles = (q: unknown): Vec => toAngles(q as Quat).map((a) => Number(a.toFixed(3))) as Vec;
const canKey = (s: Spec): boolean => !!props.channels && !s.fixed && !s.optional;

function setPoint(s: Spec, row: number, v: Vec): void {
  const points = structuredClone(valueAt(props.of, s.key)) as Vec[];
  points[row] = v;
  emit("change", s.key, points);
}

function dropPoint(s: Spec, row: number): void {
  emit(
    "change",
    s.key,
    (valueAt(props.of, s.key) as Vec[]).filter((_, k) => k !== row),
  );
}
</script>

<template>
  <template v-for="s in rows" :key="s.key">
    <ChoiceRow
      v-if="s.kind === 'choice'"
      :label="s.label"
      :hint="s.hint"
      :options="s.options!"
      :model-value="valueAt(of, s.key) as string"
      @update:model-value="(v) => emit('change', s.key, v)" />
    <SwitchRow
      v-else-if="s.kind === 'switch'"
      :label="s.label"
      :hint="s.hint"
      :model-value="!!valueAt(of, s.key)"
      @update:model-value="(v) => emit('change', s.key, v)" />
    <PickRow
      v-else-if="s.kind === 'body'"
      :label="s.label"
      :hint="s.hint"
      :options="[['', 'nothing'], ...(s.among ?? all)(shot.things).map((t) => [t.name, t.name] as const)]"
      :model-value="(valueAt(of, s.key) as string | null) ?? ''"
      @update:model-value="(n) => emit('change', s.key, n || null)" />
    <PickRow
      v-else-if="s.kind === 'bodies'"
      :label="s.label"
      :hint="s.hint"
      :options="[['', 'its targets'], ...shot.things.map((t) => [t.name, t.name] as const)]"
      :model-value="((valueAt(of, s.key) as string[] | null) ?? [''])[0]"
      @update:model-value="(n) => emit('change', s.key, n ? [n] : null)" />
    <div v-else-if="s.kind === 'text'" v-hint="s.hint" class="stack">
      <label>{{ s.label }}</label
      ><TextField
        class="figures"
        :rows="2"
        :label="s.label"
        :model-value="valueAt(of, s.key) as string"
        @update:model-value="(t) => emit('change', s.key, t)" />
    </div>
    <div v-else-if="s.kind === 'times'" v-hint="s.hint" class="row">
      <label>{{ s.label }}</label
      ><TimesField
        :label="s.label"
        :model-value="valueAt(of, s.key) as number[]"
        @update:model-value="(t) => emit('change', s.key, t)" />
    </div>
    <div v-else-if="s.kind === 'points'" v-hint="s.hint" class="stack">
      <label>{{ s.label }}</label>
      <div v-for="(p, row) in valueAt(of, s.key) as Vec[]" :key="row" class="point">
        <VectorField
          :label="`point ${row + 1}`"
          unit="m"
          :model-value="p"
          @update:model-value="(v) => setPoint(s, row, v)" /><ElButton
          text
          class="icon"
          v-hint="'Take this point out'"
          :disabled="(valueAt(of, s.key) as Vec[]).length < 3"
          @click="dropPoint(s, row)">
          <Glyph name="cross" :size="10" />
        </ElButton>
      </div>
      <ElButton
        link
        class="small"
        @click="
          emit('change', s.key, [
            ...(valueAt(of, s.key) as Vec[]),
            (valueAt(of, s.key) as Vec[]).at(-1)!.map((x, k) => x + (k === 0 ? 2 : 0)),
          ])
        ">
        one more
      </ElButton>
    </div>
    <div v-else-if="s.kind === 'turn'" v-hint="s.hint" class="stack">
      <label>{{ s.label }}</label
      ><VectorField
        :label="s.label"
        unit="°"
        :initial="0"
        :model-value="angles(valueAt(of, s.key))"
        @update:model-value="(v) => emit('change', s.key, fromAngles(v))" />
    </div>
    <div v-else-if="s.kind === 'vector' || s.kind === 'direction'" v-hint="s.hint" class="stack">
      <label
        ><span>{{ s.label }} <span v-if="unit(s).length > 2" class="mute">{{ unit(s) }}</span></span
        ><ElButton
          v-if="canKey(s)"
          class="bare peg"
          :class="{ on: channelOf(`${s.key}.0`), here: keyedHere(`${s.key}.0`) }"
          v-hint="`Key ${s.label} at f ${view.frame}`"
          :data-testid="`key-${s.label}`"
          @click="toggle([0, 1, 2].map((k) => `${s.key}.${k}`))">
          <Glyph name="peg" :size="12" /></ElButton></label
      ><DirectionField
        v-if="s.kind === 'direction'"
        :label="s.label"
        :marks="s.marks"
        :model-value="[0, 1, 2].map((k) => shown(s, `${s.key}.${k}`))"
        @update:model-value="(v) => giveVector(s, v)" /><VectorField
        v-else
        :label="s.label"
        :unit="unit(s)"
        :marks="s.marks"
        :min="s.min"
        :model-value="[0, 1, 2].map((k) => shown(s, `${s.key}.${k}`))"
        @update:model-value="(v) => giveVector(s, v)" />
    </div>
    <template v-else-if="s.optional">
      <ChoiceRow
        :label="s.label"
        :hint="s.hint"
        :options="
          [
            ['none', s.optional.none],
            ['own', 'set'],
          ] as const
        "
        :model-value="valueAt(of, s.key) === null ? 'none' : 'own'"
        @update:model-value="(v) => emit('change', s.key, v === 'own' ? s.optional!.on : null)" />
      <div v-if="valueAt(of, s.key) !== null" class="row" v-hint="s.hint">
        <label /><NumberField
          :label="s.label"
          :unit="unit(s)"
          :min="s.min"
          :max="s.max"
          :whole="s.whole"
          :model-value="shown(s)"
          @update:model-value="(v) => give(s, v)" />
      </div>
    </template>
    <div v-else class="row" :class="{ keyable: canKey(s) }" v-hint="s.hint">
      <label>{{ s.label }}</label
      ><NumberField
        :label="s.label"
        :unit="unit(s)"
        :min="s.min"
        :max="s.max"
        :whole="s.whole"
        :initial="s.initial"
        :model-value="shown(s)"
        @update:model-value="(v) => give(s, v)" /><ElButton
        v-if="canKey(s)"
        class="bare peg"
        :class="{ on: channelOf(s.key), here: keyedHere(s.key) }"
        :data-testid="`key-${s.label}`"
        v-hint="keyedHere(s.key) ? `Take out the key at f ${view.frame}` : `Key ${s.label} at f ${view.frame}`"
        @click="toggle([s.key])">
        <Glyph name="peg" :size="12" />
      </ElButton>
    </div>
  </template>
</template>

<style scoped>
.stack {
  margin: 6px 0;
}
.stack label {
  display: flex;
  justify-content: space-between;
  color: var(--soft);
  margin-bottom: 3px;
}
.row.keyable {
  grid-template-columns: 84px minmax(0, 1fr) 16px;
  gap: 4px;
  column-gap: 6px;
}
.peg {
  background: none;
  border: 0;
  padding: 0;
  cursor: pointer;
  color: var(--line-strong);
  display: grid;
  place-items: center;
}
.peg:hover {
  color: var(--chalk);
}
.peg.on {
  color: var(--mute);
}
.peg.here {
  color: var(--accent);
}
.peg.here :deep(path) {
  fill: currentColor;
}
textarea,
.line {
  width: 100%;
  border: 1px solid var(--line);
  border-radius: var(--radius);
  background: var(--basalt-2);
  padding: 4px 8px;
  resize: vertical;
}
.point {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 20px;
  gap: 2px;
  margin-bottom: 3px;
}
.point .button {
  padding: 0;
  height: 26px;
}
.small {
  font-size: 12px;
  color: var(--soft);
}
</style>
