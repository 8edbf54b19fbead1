<script setup lang="ts">
/**
 * Where the pieces of cloth or a soft body hang together: how strongly, beside what they bear; cut and mended by hand.
 */
import { ElButton } from "element-plus";
import { computed, watch } from "vue";
import type { Body } from "../api/types";
import { seamsAs, withCut, type SeamColor } from "../lib/seams";
import { showLength, showNumber } from "../lib/units";
import { usePieces } from "../stores/pieces";
import { useShot, type Thing } from "../stores/shot";
import { useView } from "../stores/view";
import ChoiceRow from "../controls/ChoiceRow.vue";
import Section from "../controls/Section.vue";

const props = defineProps<{ thing: Thing }>();
const shot = useShot();
const pieces = usePieces();
const view = useView();
const seams = computed(() => pieces.seams.get(props.thing.name));
const loads = computed(() => pieces.seamLoads.get(props.thing.name));
const cuts = computed(() => seams.value?.strength.reduce((n, s) => n + (s > 0 ? 0 : 1), 0) ?? 0);
const picked = computed(() => view.seams.filter((q) => q < (seams.value?.strength.length ?? 0)));
const total = (of: ArrayLike<number> | undefined): number => picked.value.reduce((sum, q) => sum + (of?.[q] ?? 0), 0);
const allCut = computed(() => picked.value.length > 0 && picked.value.every((q) => !(seams.value!.strength[q]! > 0)));
const worst = computed(() => {
  const [s, l] = [seams.value, loads.value];
  if (!s || l?.length !== s.strength.length) return null;
  return s.strength.reduce((most, k, q) => (k > 0 ? Math.max(most, l[q]! / k) : most), 0);
});
const COLORS: readonly (readonly [SeamColor, string, string])[] = [
  ["strength", "strength", "how much each holds"],
  ["load", "load", "the share of its strength that each bore where the body came to rest"],
];
const size = (of: number): string =>
  props.thing.body.matter.kind === "cloth" ? showLength(of) : `${showNumber(of, 3)} m²`;

watch(
  [() => props.thing.body, () => shot.document?.falloffs],
  () => shot.document && void pieces.loadSeams(props.thing, shot.document),
  { immediate: true },
);

function cut(rows: readonly number[], mend: boolean): void {
  const pairs = rows.map((q) => [seams.value!.piece[q * 2]!, seams.value!.piece[q * 2 + 1]!] as [number, number]);
  shot.editBody(props.thing.name, mend ? "mend seams" : "cut seams", (b: Body) => {
    b.bonds!.cut = withCut(b.bonds!.cut as [number, number][], pairs, mend);
  });
}
const cutRows = computed(() => [...(seams.value?.strength ?? [])].flatMap((s, q) => (s > 0 ? [] : [q])));
</script>

<template>
  <Section title="Seams" :note="seams ? `${seams.strength.length}${cuts ? `, ${cuts} cut` : ''}` : ''">
    <ChoiceRow
      label="shown by"
      hint="what the colours of the lines say; what is cut is ember"
      :options="COLORS"
      :model-value="seamsAs(view.seamColor, !!loads)"
      @update:model-value="(v) => (view.seamColor = v)" />
    <p v-if="view.seamColor === 'load' && !loads" class="mute small">
      What they will bear is known once {{ thing.name }} has settled.
    </p>
    <p v-if="worst !== null" class="figures small" :class="worst > 1 ? 'problem' : 'mute'" data-testid="worst-seam">
      {{
        worst > 1
          ? `at rest the worst bears ${showNumber(worst, 2)} × its strength`
          : `at rest the worst bears ${showNumber(100 * worst, 2)} % of its strength`
      }}
    </p>
    <div v-if="picked.length && seams" class="bars figures" data-testid="seam-picked">
      <p>
        <span>{{
          picked.length === 1
            ? `between ${seams.piece[picked[0]! * 2]} and ${seams.piece[picked[0]! * 2 + 1]}`
            : `${picked.length} seams`
        }}</span
        ><b>{{ size(total(seams.size)) }}</b>
      </p>
      <p><span>holds</span><b>{{ allCut ? "cut" : `${showNumber(total(seams.strength), 3)} kN` }}</b></p>
      <p v-if="loads"><span>bears at rest</span><b>{{ showNumber(total(loads), 3) }} kN</b></p>
    </div>
    <p v-else class="mute small">Click a seam in the view; Shift adds another.</p>
    <ElButton v-if="picked.length" class="wide" data-testid="cut-seams" @click="cut(picked, allCut)">{{
      allCut ? "Mend it" : picked.length === 1 ? "Cut it" : `Cut the ${picked.length}`
    }}</ElButton>
    <ElButton v-if="cuts" link size="small" data-testid="mend-seams" @click="cut(cutRows, true)"
      >mend all that are cut</ElButton
    >
  </Section>
</template>

<style scoped>
.bars p {
  display: flex;
  justify-content: space-between;
}
.small {
  font-size: 12px;
}
</style>
