<script setup lang="ts">
/** The unit a brought-in mesh was made in, and its axis that is up; with the size each gives. */
import { ElButton } from "element-plus";
import { computed } from "vue";
import type { Body } from "../api/types";
import ChoiceRow from "../controls/ChoiceRow.vue";
import PickRow from "../controls/PickRow.vue";
import { fromAngles, type Vec } from "../lib/rotation";
import { proposedUnit, UNIT_SIZES, type FileUnit } from "../lib/fileUnit";
import { showNumber } from "../lib/units";
import { takeIn } from "../lib/bounds";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";

const props = defineProps<{
  name: string;
  body: Body;
  /** longest side of the mesh, its steps done [m] */
  longest: number;
}>();
const shot = useShot();
const pieces = usePieces();
/** the unit is kept as the first mesh step */
const factor = computed(() => {
  const first = props.body.steps[0];
  return first?.kind === "scale" ? first.by![0]! : 1;
});
const unit = computed(
  () => (Object.keys(UNIT_SIZES) as FileUnit[]).find((u) => Math.abs(UNIT_SIZES[u] - factor.value) < 1e-9) ?? null,
);
const size = computed(() => props.longest);
const plain = computed(() => size.value / factor.value);
const proposed = computed(() => (size.value ? proposedUnit(plain.value) : null));
const options = computed(() =>
  (Object.keys(UNIT_SIZES) as FileUnit[]).map(
    (u) => [u, `${u}: ${showNumber(plain.value * UNIT_SIZES[u], 3)} m long`] as const,
  ),
);
const up = computed(() => (Math.abs((props.body.place.rotation?.[0] ?? 0) + Math.SQRT1_2) < 1e-3 ? "z" : "y"));

function setUnit(next: FileUnit): void {
  const by = UNIT_SIZES[next];
  const ratio = by / factor.value;
  shot.editBody(props.name, `unit of ${props.name}`, (b) => {
    const rest = b.steps[0]?.kind === "scale" ? b.steps.slice(1) : b.steps;
    b.steps = by === 1 ? rest : [{ kind: "scale", by: [by, by, by] as Vec }, ...rest];
    const ground = shot.document?.ground.height ?? 0;
    const at = b.place.position!;
    b.place.position = [at[0] * ratio, ground + (at[1] - ground) * ratio, at[2] * ratio].map((x) =>
      Number(x.toFixed(4)),
    ) as Vec;
  });
}

function setUp(axis: "y" | "z"): void {
  const angles: Vec = axis === "z" ? [-90, 0, 0] : [0, 0, 0];
  const rotation = fromAngles(angles);
  const [x, , z] = props.body.place.position!;
  const lo: Vec = [Infinity, Infinity, Infinity];
  const vertices = pieces.packedOf(props.name)?.vertices as Float32Array | undefined;
  if (vertices) takeIn(vertices, [{ position: [0, 0, 0], rotation, size: 1 }], lo, [-Infinity, -Infinity, -Infinity]);
  shot.editBody(props.name, `up of ${props.name}`, (b) => {
    Object.assign(b.place, { angles, rotation });
    const ground = shot.document?.ground.height ?? 0;
    if (vertices) b.place.position = [x, Number((ground - lo[1]).toFixed(4)), z]; // stood on the ground
  });
}
</script>

<template>
  <PickRow
    label="made in"
    hint="what one unit of the file is in metres"
    id="file-unit"
    empty="own scale"
    :options="options"
    :model-value="unit ?? undefined"
    @update:model-value="setUnit" />
  <p v-if="proposed && proposed !== unit" class="note" data-testid="unit-proposal">
    {{ showNumber(size, 3) }} m long: {{ proposed }} would make it {{ showNumber(plain * UNIT_SIZES[proposed], 3) }} m.
    <ElButton link @click="setUnit(proposed)">Take {{ proposed }}</ElButton>
  </p>
  <ChoiceRow
    label="up is"
    hint="which of the file's axes points up"
    :options="
      [
        ['y', 'y'],
        ['z', 'z'],
      ] as const
    "
    :model-value="up"
    @update:model-value="setUp" />
</template>
