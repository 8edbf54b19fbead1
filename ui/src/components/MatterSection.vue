<script setup lang="ts">
/** What a body is made of for the solver, with its presets and numbers. */
import { ElButton } from "element-plus";
import { computed, onMounted, shallowRef } from "vue";
import { api, ApiError } from "../api/client";
import type { Body, MaterialList } from "../api/types";
import { changeMatter, leadsTo, MATTER_SPECS, MATTERS, possible, takeMatter, type MatterKind } from "../lib/matter";
import { sayLost } from "../lib/lost";
import { setAt } from "../lib/specs";
import { say } from "../lib/words";
import { usePieces } from "../stores/pieces";
import { useView } from "../stores/view";
import { useShot } from "../stores/shot";
import Choices from "../controls/Choices.vue";
import PickRow from "../controls/PickRow.vue";
import Section from "../controls/Section.vue";
import SpecRows from "./SpecRows.vue";

/** numbers that a preset gives: with one of them changed it is that preset no more */
const GIVEN = new Set([
  ...["weight", "thickness", "stretch", "shear", "bending"],
  ...["young", "poisson", "radius", "working_load", "working_stretch"],
]);
const props = defineProps<{ name: string; body: Body }>();
const shot = useShot();
const pieces = usePieces();
const view = useView();
const cubes = computed(() => pieces.shapes.get(props.name)?.count.toLocaleString("en"));
const presets = shallowRef<MaterialList["matters"]>([]);
const kind = computed(() => props.body.matter.kind);
const fitting = computed(() => presets.value.filter((p) => p.matter[kind.value]));
/** soft pieces part along their seams, whose strength is that of bonds */
const specs = computed(() =>
  MATTER_SPECS[kind.value].filter((s) => s.key !== "tear" || kind.value !== "soft" || !props.body.pattern),
);
const figures = computed(() => pieces.built.get(props.name)?.figures);
const said = computed(() =>
  leadsTo(props.body, figures.value?.size ?? [], Math.hypot(...(shot.document?.gravity ?? [0, 9.81, 0]))),
);
const edit = (what: string, change: (b: Body) => void): void =>
  shot.editBody(props.name, `${what} of ${props.name}`, change);

onMounted(async () => {
  try {
    presets.value = (await api.materials()).matters;
  } catch (error) {
    if (!(error instanceof ApiError)) throw error; // without presets its numbers are still there
  }
});

function become(next: MatterKind): void {
  if (next === kind.value) return;
  let lost: string[] = [];
  edit("matter", (b) => (lost = changeMatter(b, next)));
  sayLost(`${props.name} is ${next} now`, lost);
}

function take(preset: string): void {
  const found = presets.value.find((p) => p.name === preset);
  edit("preset", (b) => {
    if (found) takeMatter(b, found as never);
    else (b.matter as { preset: null }).preset = null;
  });
}
</script>

<template>
  <Section title="Matter" :note="figures?.vertices ? `${figures.vertices.toLocaleString('en')} vertices` : ''">
    <Choices
      label="matter"
      ids="matter-"
      :options="MATTERS.map(([k, word, why]) => [k, word, why, !possible(body, k)] as const)"
      :model-value="kind"
      @update:model-value="become" />
    <template v-if="kind !== 'rigid'">
      <PickRow
        v-if="fitting.length"
        id="matter-preset"
        label="made of"
        :hint="say('ClothMatter.preset')"
        :options="[['', 'own numbers'], ...fitting.map((p) => [p.name, p.name, p.source] as const)]"
        :model-value="(body.matter as { preset?: string | null }).preset ?? ''"
        @update:model-value="take" />
      <SpecRows
        :of="body.matter as never"
        :specs="specs"
        @change="
          (k, v) =>
            edit(k, (b) => {
              setAt(b.matter, k, v);
              if (GIVEN.has(k)) (b.matter as { preset: null }).preset = null;
            })
        " />
      <ElButton
        v-if="kind === 'soft'"
        link
        size="small"
        data-testid="see-lattice"
        v-hint="'The cubes that carry it: what is computed'"
        @click="view.shapes = !view.shapes"
        >{{ view.shapes ? `hide its lattice${cubes ? `: ${cubes} cubes` : ""}` : "show its lattice" }}</ElButton
      >
      <p v-if="said" class="mute small figures" data-testid="leads-to">{{ said }}</p>
    </template>
  </Section>
</template>

<style scoped>
.small {
  font-size: 12px;
}
</style>
