<script setup lang="ts">
/** What the colours in the view mean. */
import { computed } from "vue";
import { FAMILY_COLOR, RAMPS } from "../lib/document";
import { RAMP_CSS } from "../lib/ramp";
import { showNumber } from "../lib/units";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import { SPEEDS, TOUCHED } from "../lib/frameColors";
import { MOST_STRETCH } from "../composables/useSurfaces";
import { STATE_COLORS, TIER_COLORS } from "../viewport/paint";

const props = defineProps<{ inTake: boolean; deepest: number }>();
const shot = useShot();
const takes = useTakes();
const survey = useSurvey();
const view = useView();
const css = (c: readonly number[]): string => `rgb(${c.map((x) => Math.round(x * 255)).join(" ")})`;
// only the chosen body's bonds are drawn
const weighs = computed(() => shot.things.some((t) => t.name === view.thing && t.body.bonds));
const mapNow = computed(() =>
  ((props.inTake ? takes.document : shot.document)?.maps ?? []).find((m) => m.name === view.map),
);
const rampCss = computed(() =>
  view.colorBy === "map" ? `linear-gradient(90deg, ${RAMPS[mapNow.value?.ramp ?? "ember"].join(", ")})` : RAMP_CSS,
);
/** The falloff of the chosen body whose values it is coloured by. */
const weighed = computed(() => {
  const body = props.inTake || !view.weighing ? undefined : shot.bodies.find((b) => b.name === view.thing);
  if (!body || body.matter.kind === "rigid") return null;
  const { part, k } = view.weighing!;
  if (part === "pins") return body.pins[k] ? [`pinned from ${showNumber(body.pins[k].cut!, 2)}`, "0", "1"] : null;
  if (part === "recall") return body.recall[k] ? ["recall", "0", `${showNumber(body.recall[k].rate!, 3)} 1/s`] : null;
  const w = body.weights[k];
  return w ? [w.of, `× ${showNumber(w.low!, 3)}`, `× ${showNumber(w.high!, 3)}`] : null;
});
/** What the ends of the ramp mean, by what is coloured by; of those that a take alone has, beside a take. */
const IN_TAKE = {
  load: ["load / strength", "0", "1"],
  stretch: ["stretch", "0.01 %", `${100 * MOST_STRETCH} %`],
  tension: ["tension / strength", "0", "1"],
  speed: ["speed", `${SPEEDS[0]} m/s`, `${SPEEDS[1]} m/s`],
} as const;
const ramped = computed<readonly string[] | null>(() => {
  const by = view.colorBy;
  if (by === "map") return mapNow.value ? [view.map, "0", "1"] : null;
  if (by in IN_TAKE) return props.inTake ? IN_TAKE[by as keyof typeof IN_TAKE] : null;
  if (by === "pressure" && props.inTake) return null;
  if (by === "pressure")
    return survey.mostPressure
      ? ["pressure", "0", `${showNumber(survey.mostPressure, 3)} Pa`]
      : ["pick a wind to see its pressure on what deforms", "0", "1"];
  if (by === "size") return ["piece size", "small", "large"];
  if (by === "strength") return ["mean bond strength", "0", "strongest"];
  const field = view.selection?.kind === "field" ? `reach of ${view.selection.name}` : "pick a field to see its reach";
  return by === "reach" ? [field, "0", "1"] : null;
});
const LISTED = ["state", "tier", "fields", "touch"];
const listed = computed(
  () => LISTED.includes(view.colorBy) && (props.inTake || view.colorBy === "state" || view.colorBy === "tier"),
);
</script>

<template>
  <div v-if="weighed" class="legend" data-testid="legend-weight">
    <span>{{ weighed[0] }}</span><i :style="{ background: RAMP_CSS }" /><b class="figures"
      ><span>{{ weighed[1] }}</span><span>{{ weighed[2] }}</span></b
    >
  </div>
  <div v-else-if="ramped || listed" class="legend">
    <template v-if="ramped">
      <span>{{ ramped[0] }}</span>
      <i :style="{ background: rampCss }" /><b class="figures"
        ><span>{{ ramped[1] }}</span><span>{{ ramped[2] }}</span></b
      >
    </template>
    <span v-else-if="view.colorBy === 'state'" class="states"
      ><span>state</span
      ><em v-for="(name, k) in ['held', 'resting', 'moving']" :key="name"
        ><i class="dot" :style="{ background: css(STATE_COLORS[k]!) }" />{{ name }}</em
      ></span
    >
    <span v-else-if="view.colorBy === 'touch'" class="states"
      ><em><i class="dot" :style="{ background: css(TOUCHED) }" />touches something rigid</em></span
    >
    <span v-else-if="view.colorBy === 'fields'" class="states"
      ><span>what acts</span
      ><em v-for="(color, family) in FAMILY_COLOR" :key="family"
        ><i class="dot" :style="{ background: color }" />{{ family }}</em
      ></span
    >
    <span v-else class="states"
      ><em v-for="k in deepest" :key="k"
        ><i class="dot" :style="{ background: css(TIER_COLORS[k]!) }" />tier {{ k }}</em
      ></span
    >
  </div>
  <div v-else-if="view.bonds === 'weight' && !inTake && weighs" class="legend">
    <span>own weight / strength</span><i :style="{ background: RAMP_CSS }" /><b class="figures"
      ><span>0</span><span>1</span></b
    >
  </div>
</template>

<style scoped>
.legend {
  position: absolute;
  right: 14px;
  top: 12px;
  width: 160px;
  font-size: 11.5px;
  color: var(--soft);
  text-align: right;
  pointer-events: none;
}
.legend > i {
  display: block;
  height: 8px;
  border-radius: 4px;
  margin: 4px 0 2px;
}
.legend b {
  display: flex;
  justify-content: space-between;
  font-weight: 400;
}
.states {
  display: flex;
  flex-direction: column;
  gap: 2px;
  align-items: flex-end;
}
.states em {
  font-style: normal;
  display: flex;
  gap: 6px;
  align-items: center;
}
.dot {
  width: 9px;
  height: 9px;
  border-radius: 50%;
  display: inline-block;
}
</style>
