<script setup lang="ts">
/** A falloff of a body in a few numbers, the first layer's; or a shared falloff it uses. */
import { ElButton } from "element-plus";
import { computed, ref } from "vue";
import type { FieldItem, Layer, ReachShape } from "../api/types";
import { LAYERS } from "../lib/specs";
import { freeName, isStill } from "../lib/document";
import type { Vec } from "../lib/rotation";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import ChoiceRow from "../controls/ChoiceRow.vue";
import NumberRow from "../controls/NumberRow.vue";
import VectorField from "../controls/VectorField.vue";
import PickRow from "../controls/PickRow.vue";
import DirectionField from "../controls/DirectionField.vue";
import { say } from "../lib/words";

type Falloff = FieldItem["reach"];
const props = defineProps<{ modelValue: Falloff; label?: string; world?: boolean }>();
const emit = defineEmits<{ "update:modelValue": [value: Falloff] }>();
const shot = useShot();
const view = useView();
const shared = computed(() => (shot.document?.falloffs ?? []).filter((f) => isStill(f.layers as Layer[])));
/** which of its layers is edited */
const at = ref(0);
const layers = computed(() => (props.modelValue.layers ?? []).filter((l) => l.shape.kind !== "painted"));
const layer = computed(() => layers.value[Math.min(at.value, layers.value.length - 1)]);
const shape = computed(() => layer.value?.shape as ReachShape | undefined);
const simple = computed(() => !!shape.value && ["sphere", "box", "plane"].includes(shape.value.kind));
const KINDS = [
  ["sphere", "sphere"],
  ["box", "box"],
  ["plane", "plane"],
] as const;

function put(next: ReachShape): void {
  const layers = structuredClone(props.modelValue.layers!);
  layers[props.modelValue.layers!.indexOf(layer.value!)]!.shape = next;
  emit("update:modelValue", { ...props.modelValue, layers });
}

function setKind(kind: ReachShape["kind"]): void {
  const old = shape.value!;
  const center = old.center as Vec;
  const edge = old.edge ?? 0;
  const size =
    old.kind === "sphere" ? (old.core ?? 1) : old.kind === "box" ? Math.min(...(old.core as number[])) / 2 : 1;
  put(
    kind === "sphere"
      ? { kind, center, core: size, edge, ride: null }
      : kind === "box"
        ? { kind, center, rotation: [0, 0, 0, 1], core: [2 * size, 2 * size, 2 * size], edge, ride: null }
        : { kind, center, normal: [0, 1, 0], edge, ride: null },
  );
}

function use(other: string): void {
  const own = shot.document!.falloffs.find((f) => f.name === (other || props.modelValue.use))!;
  emit(
    "update:modelValue",
    (other
      ? { layers: [], use: other, strength: 1, limits: [0, 1] }
      : { layers: structuredClone(own.layers), use: null, strength: own.strength, limits: own.limits }) as Falloff,
  );
}

/** Its layers become a falloff of the shot; only where they are in the world already, so that nothing moves. */
function share(): void {
  const name = freeName(
    `${props.label ?? "reach"} falloff`,
    (shot.document?.falloffs ?? []).map((f) => f.name),
  );
  const { layers, strength, limits } = structuredClone(props.modelValue);
  shot.edit(`share ${name}`, (d) =>
    d.falloffs.push({ name, layers, strength: strength ?? 1, limits: limits ?? [0, 1], channels: [] } as never),
  );
  emit("update:modelValue", { layers: [], use: name, strength: 1, limits: [0, 1] } as Falloff);
}

const set = (key: string, value: unknown): void => put({ ...shape.value, [key]: value } as ReachShape);
const name = computed(() => props.label ?? "reach");
</script>

<template>
  <PickRow
    v-if="shared.length"
    :id="`use-${name}`"
    :label="`${name} by`"
    hint="a shared falloff, or a shape of its own"
    :options="[['', 'its own falloff'], ...shared.map((f) => [f.name, f.name] as const)]"
    :model-value="modelValue.use ?? ''"
    @update:model-value="use" />
  <ElButton v-if="modelValue.use" link class="small" @click="view.select({ kind: 'falloff', name: modelValue.use })">
    open {{ modelValue.use }}
  </ElButton>
  <PickRow
    v-if="!modelValue.use && layers.length > 1"
    label="layer"
    hint="it reaches where any of these does"
    :options="layers.map((l, k) => [k, `${k + 1}: ${LAYERS[l.shape.kind].word}`] as const)"
    :model-value="Math.min(at, layers.length - 1)"
    @update:model-value="(k) => (at = k)" />
  <template v-if="!modelValue.use && simple && shape">
    <ChoiceRow
      :label="name"
      hint="where it reaches: a sphere, a box, or all behind a plane"
      :options="KINDS"
      :model-value="shape.kind"
      @update:model-value="setKind" />
    <VectorField
      :label="`${name} centre`"
      unit="m"
      :model-value="shape.center as Vec"
      :initial="0"
      @update:model-value="(v) => set('center', v)" />
    <NumberRow
      v-if="shape.kind === 'sphere'"
      label="core radius"
      :hint="say('SphereReach.core')"
      unit="m"
      :min="0"
      :model-value="shape.core ?? 1"
      @update:model-value="(v) => set('core', v)" />
    <div v-else-if="shape.kind === 'box'" class="gap">
      <VectorField
        :label="`${name} core`"
        unit="m"
        marks="whd"
        :min="0.001"
        :model-value="shape.core as Vec"
        @update:model-value="(v) => set('core', v)" />
    </div>
    <div v-else class="gap">
      <DirectionField
        :label="`${name} normal`"
        :model-value="shape.normal as Vec"
        @update:model-value="(v) => set('normal', v)" />
    </div>
    <NumberRow
      label="edge width"
      :hint="say('SphereReach.edge')"
      unit="m"
      :min="0"
      :model-value="shape.edge ?? 0"
      @update:model-value="(v) => set('edge', v)" />
    <ElButton v-if="world" link class="small" @click="share">share it</ElButton>
  </template>
  <p v-else-if="!modelValue.use && layers.length" class="mute small">{{ layers.length }} layers of its own</p>
</template>

<style scoped>
.gap {
  margin-top: 4px;
}
.small {
  font-size: 12px;
  color: var(--soft);
}
</style>
