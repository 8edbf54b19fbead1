<script setup lang="ts">
/** The layers of a falloff, laid one over the other: the list, and the chosen one's numbers. */
import { ElButton } from "element-plus";
import { computed, ref, watch } from "vue";
import type { Layer } from "../api/types";
import type { Channel } from "../lib/channels";
import { LAYERS, setAt, type LayerKind } from "../lib/specs";
import { surfaces } from "../lib/companions";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import Glyph from "./Glyph.vue";
import NumberRow from "../controls/NumberRow.vue";
import ProfilePlot from "./ProfilePlot.vue";
import SpecRows from "./SpecRows.vue";
import Pick from "../controls/Pick.vue";
import PickRow from "../controls/PickRow.vue";
import FileButton from "../controls/FileButton.vue";
import ColorField from "../controls/ColorField.vue";
import SwitchRow from "../controls/SwitchRow.vue";
import { say } from "../lib/words";

type Stack = { layers?: Layer[]; strength?: number; limits?: [number, number] };
const props = defineProps<{
  stack: Stack;
  color: string;
  channels: readonly Channel[] | undefined;
  base: string;
  around: { center: [number, number, number]; size: number };
}>();
const emit = defineEmits<{
  edit: [what: string, change: (s: Stack) => void];
  key: [path: string, value: number | null];
}>();
const shot = useShot();
const view = useView();
const chosen = computed({ get: () => Math.min(view.layer, layers.value.length - 1), set: (k) => (view.layer = k) });
const layers = computed(() => (props.stack.layers ?? []) as Layer[]);
const layer = computed(() => layers.value[chosen.value]);
const shape = computed(() => layer.value?.shape as (Record<string, unknown> & { kind: LayerKind }) | undefined);
const adding = ref(false);
const problem = ref("");
const GROUPS = [
  ["shape", "shapes"],
  ["source", "sources"],
  ["time", "memory"],
] as const;
/** how a layer lies over those beneath it; the first lies on nothing */
const BLENDS = [
  ["normal", "over it", "it alone, as far as it is opaque"],
  ["max", "the greater", "the greater of both"],
  ["min", "the lesser", "the lesser of both"],
  ["add", "added", "both together"],
  ["subtract", "taken off", "what is beneath, less this"],
  ["multiply", "times it", "one times the other: only where both are"],
  ["screen", "both", "reached by the one or the other, never above 1"],
  ["overlay", "sharpens", "strong beneath grows stronger, weak weaker"],
] as const;
const laidAs = (blend: string | undefined): string => BLENDS.find(([b]) => b === blend)?.[1] ?? "over it";
const PROFILES = ["linear", "smooth", "sharp", "round"] as const;
const shaped = computed(() => !!shape.value && "edge" in shape.value);
watch(
  () => props.stack,
  () => (problem.value = ""),
);

const ofGroup = (group: string): LayerKind[] =>
  (Object.keys(LAYERS) as LayerKind[]).filter(
    (k) => LAYERS[k].group === group && (k !== "painted" || shape.value?.kind === k), // painted in the view
  );
const edit = (what: string, change: (l: Layer) => void): void =>
  emit("edit", what, (s) => change(s.layers![chosen.value] as Layer));

function made(kind: LayerKind): Layer["shape"] {
  const { center, size } = props.around;
  const own = shape.value && "center" in shape.value ? (shape.value.center as [number, number, number]) : center;
  const bodies = kind === "mesh" ? surfaces(shot.things) : kind === "pieces" ? shot.things : null;
  const first = bodies ? { body: bodies[0]?.name ?? "" } : {};
  return {
    kind,
    ...first,
    ...LAYERS[kind].make([...own] as [number, number, number], size),
  } as unknown as Layer["shape"];
}

function add(kind: LayerKind): void {
  adding.value = false;
  const time = LAYERS[kind].group === "time" || kind === "expression";
  emit("edit", "add a layer", (s) =>
    s.layers!.push({
      shape: made(kind),
      profile: "smooth",
      low: 0,
      high: 1,
      invert: false,
      blend: time || !layers.value.length ? "normal" : "max",
      opacity: 1,
      color: null,
      color_blend: "normal",
      color_opacity: 1,
    } as Layer),
  );
  chosen.value = layers.value.length;
}

function move(by: number): void {
  const to = chosen.value + by;
  emit("edit", "move a layer", (s) => {
    const [one] = s.layers!.splice(chosen.value, 1);
    s.layers!.splice(to, 0, one!);
  });
  chosen.value = to;
}

function setProfile(v: (typeof PROFILES)[number] | "own"): void {
  edit("profile", (l) => {
    l.profile =
      v === "own"
        ? [
            [0, 1],
            [0.5, 0.5],
            [1, 0],
          ]
        : v;
  });
}

/** A picture or a recording from a file. */
async function bring(file: File, name: string): Promise<void> {
  if (file.size > 12e6) return void (problem.value = `${file.name} is larger than 12 MB`);
  const bytes = new Uint8Array(await file.arrayBuffer());
  let text = "";
  for (let k = 0; k < bytes.length; k += 32768) text += String.fromCharCode(...bytes.subarray(k, k + 32768));
  edit(name, (l) => setAt(l.shape, name, btoa(text)));
}
</script>

<template>
  <div class="stack">
    <div
      v-for="(l, k) in [...layers].reverse()"
      :key="layers.length - 1 - k"
      class="layer"
      :class="{ chosen: layers.length - 1 - k === chosen }">
      <ElButton class="bare pick" @click="chosen = layers.length - 1 - k">
        <b>{{ LAYERS[l.shape.kind].word }}</b
        ><span
          >{{ k === layers.length - 1 ? "first" : laidAs(l.blend)
          }}{{ (l.opacity ?? 1) < 1 ? ` · ${Math.round(l.opacity! * 100)} %` : ""
          }}{{ l.invert ? " · inside out" : "" }}</span
        >
      </ElButton>
      <template v-if="layers.length - 1 - k === chosen && layers.length > 1">
        <ElButton
          text
          class="icon"
          v-hint="'Lay it over the next'"
          :disabled="chosen === layers.length - 1"
          @click="move(1)">
          <Glyph name="up" :size="11" />
        </ElButton>
        <ElButton text class="icon" v-hint="'Lay it under the one before'" :disabled="chosen === 0" @click="move(-1)">
          <Glyph name="down" :size="11" />
        </ElButton>
        <ElButton
          text
          class="icon"
          v-hint="'Take it out'"
          @click="emit('edit', 'take out a layer', (s) => s.layers!.splice(chosen, 1))">
          <Glyph name="cross" :size="11" />
        </ElButton>
      </template>
    </div>
    <ElButton link class="more" data-testid="add-layer" @click="adding = !adding">
      {{ adding ? "not now" : "one more, over it" }}
    </ElButton>
    <div v-if="adding" class="kinds">
      <template v-for="[group, word] in GROUPS" :key="group"
        ><p class="mute">{{ word }}</p>
        <div class="tiles">
          <ElButton
            v-for="kind in ofGroup(group)"
            :key="kind"
            v-hint="LAYERS[kind].why"
            size="small"
            :data-testid="`layer-${kind}`"
            @click="add(kind)"
            >{{ LAYERS[kind].word }}</ElButton
          >
        </div></template
      >
    </div>
  </div>
  <template v-if="layer && shape">
    <ProfilePlot v-if="shaped" :layer="layer" :color="color" @points="(p) => edit('profile', (l) => (l.profile = p))" />
    <PickRow
      label="layer"
      :hint="say('Layer.shape')"
      :groups="
        GROUPS.map(([group, word]) => ({
          label: word,
          options: ofGroup(group).map((k) => [k, LAYERS[k].word, LAYERS[k].why] as const),
        }))
      "
      :model-value="shape.kind"
      @update:model-value="(k) => edit('layer', (l) => (l.shape = made(k)))" />
    <div v-if="shape.kind === 'image' || shape.kind === 'sound'" class="row">
      <span class="label">file</span
      ><FileButton
        :accept="shape.kind === 'image' ? '.png' : '.wav'"
        @files="(f) => bring(f[0]!, shape!.kind === 'image' ? 'picture' : 'recording')"
        >choose one</FileButton
      >
    </div>
    <p v-if="problem" class="problem">{{ problem }}</p>
    <SpecRows
      :of="shape"
      :specs="LAYERS[shape.kind].specs"
      :channels="channels"
      :base="`${base}layers.${chosen}.shape.`"
      @change="(name, value) => edit(name, (l) => setAt(l.shape, name, value))"
      @key="(path, value) => emit('key', path, value)" />
    <PickRow
      v-if="shaped"
      label="profile"
      :hint="say('Layer.profile')"
      :options="[...PROFILES.map((p) => [p, p] as const), ['own', 'own points'] as const]"
      :model-value="typeof layer.profile === 'string' ? layer.profile : 'own'"
      @update:model-value="setProfile" />
    <PickRow
      v-if="chosen > 0"
      label="laid as"
      :hint="say('Layer.blend')"
      :options="BLENDS"
      :model-value="layer.blend"
      @update:model-value="(b) => edit('blend', (l) => (l.blend = b))" />
    <NumberRow
      label="opacity"
      :hint="say('Layer.opacity')"
      :min="0"
      :max="1"
      :initial="1"
      :model-value="layer.opacity ?? 1"
      @update:model-value="(v) => edit('opacity', (l) => (l.opacity = v))" />
    <div class="row">
      <label>from, to</label
      ><span class="pair"
        ><NumberRow
          label="from"
          :hint="say('Layer.low')"
          :min="0"
          :max="1"
          :initial="0"
          :model-value="layer.low ?? 0"
          @update:model-value="(v) => edit('least value', (l) => (l.low = v))" /><NumberRow
          label="to"
          :hint="say('Layer.high')"
          :min="0"
          :max="1"
          :initial="1"
          :model-value="layer.high ?? 1"
          @update:model-value="(v) => edit('greatest value', (l) => (l.high = v))"
      /></span>
    </div>
    <div class="row">
      <span class="label">colour</span
      ><span class="tint"
        ><ColorField
          v-if="layer.color"
          label="colour of the layer"
          data-testid="layer-color"
          :model-value="layer.color"
          @update:model-value="(c) => edit('colour', (l) => (l.color = c))" /><ElButton
          link
          class="small"
          @click="edit('colour', (l) => (l.color = layer!.color ? null : '#3c8ec4'))">
          {{ layer.color ? "none" : "give it one" }}</ElButton
        ><Pick
          v-if="layer.color && chosen > 0"
          label="colour laid as"
          :options="BLENDS"
          :model-value="layer.color_blend ?? 'normal'"
          @update:model-value="(b) => edit('colour blend', (l) => (l.color_blend = b))"
      /></span>
    </div>
    <NumberRow
      v-if="layer.color"
      label="its opacity"
      :hint="say('Layer.color_opacity')"
      :min="0"
      :max="1"
      :initial="1"
      :model-value="layer.color_opacity ?? 1"
      @update:model-value="(v) => edit('colour opacity', (l) => (l.color_opacity = v))" />
    <SwitchRow
      label="inside out"
      :hint="say('Layer.invert')"
      :model-value="!!layer.invert"
      @update:model-value="(v) => edit('invert', (l) => (l.invert = v))" />
  </template>
  <NumberRow
    label="strength"
    unit="×"
    :min="0"
    :max="100"
    :initial="1"
    :model-value="stack.strength ?? 1"
    hint="of the whole falloff"
    @update:model-value="(v) => emit('edit', 'falloff strength', (s) => (s.strength = v))" />
</template>

<style scoped>
.stack {
  margin-bottom: 8px;
}
.layer {
  display: flex;
  align-items: center;
  border-radius: var(--radius);
}
.layer.chosen {
  background: var(--basalt-3);
}
.layer .button {
  padding: 0 3px;
  height: 24px;
}
.pick {
  flex: 1;
  display: flex;
  gap: 8px;
  align-items: baseline;
  background: none;
  border: 0;
  height: 26px;
  cursor: pointer;
  text-align: left;
  padding: 0 8px;
  min-width: 0;
}
.pick b {
  font-weight: 600;
}
.pick span {
  color: var(--mute);
  font-size: 11.5px;
  overflow: hidden;
  text-overflow: ellipsis;
  white-space: nowrap;
}
.more {
  font-size: 12px;
  color: var(--soft);
  padding: 2px 8px;
}
.kinds p {
  font-size: 11.5px;
  margin: 4px 0 2px;
}
.wrap {
  flex-wrap: wrap;
}
.tint {
  display: flex;
  gap: 8px;
  align-items: center;
}
.tint input {
  width: 34px;
  height: 22px;
  padding: 0;
  border: 1px solid var(--line-strong);
  border-radius: 3px;
  background: none;
}
.small {
  font-size: 12px;
  color: var(--soft);
}
.file {
  font-size: 11px;
  width: 100%;
  color: var(--soft);
}
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px;
}
.pair :deep(.row) {
  display: block;
  min-height: 0;
}
.pair :deep(label) {
  display: none;
}
</style>
