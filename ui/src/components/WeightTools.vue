<script setup lang="ts">
/**
 * Of one of a body's pins, recall or weights: whether its values are shown in the view, and the brush that paints it.
 */
import { ElButton } from "element-plus";
import { computed } from "vue";
import type { FieldItem } from "../api/types";
import { strokesOf, wipe, type Part } from "../lib/strokes";
import { say } from "../lib/words";
import { useShot, type Thing } from "../stores/shot";
import { useView } from "../stores/view";
import ChoiceRow from "../controls/ChoiceRow.vue";
import NumberRow from "../controls/NumberRow.vue";
import PickRow from "../controls/PickRow.vue";

const props = defineProps<{ thing: Thing; part: Part; k: number; reach: FieldItem["reach"] }>();
const shot = useShot();
const view = useView();
const same = (x: { part: Part; k: number } | null): boolean => x?.part === props.part && x.k === props.k;
const shown = computed(() => same(view.weighing));
const painting = computed(() => same(view.painting));
const strokes = computed(() => strokesOf(props.reach));
/** why it cannot be painted on; empty where it can */
const not = computed(() =>
  props.thing.group
    ? "What a group's members weigh they share: paint a body of its own"
    : props.reach.use
      ? `It is ${props.reach.use}, which others may use: give it a falloff of its own to paint on`
      : "",
);
const HOW = [
  ["add", "add", "what is beneath grows"],
  ["remove", "remove", "what is beneath shrinks"],
  ["set", "set", "what is beneath becomes the strength"],
] as const;
const MIRRORS = [
  ["", "none"],
  ["x", "left and right (x)"],
  ["y", "above and below (y)"],
  ["z", "front and back (z)"],
] as const;

function show(): void {
  view.showing = "set-up";
  view.painting = null;
  view.weighing = shown.value ? null : { part: props.part, k: props.k };
}

function paint(): void {
  view.showing = "set-up";
  view.painting = painting.value ? null : { part: props.part, k: props.k };
  view.weighing = { part: props.part, k: props.k };
}

const put = (change: Partial<typeof view.brush>): void => void (view.brush = { ...view.brush, ...change });
const clear = (): void =>
  shot.editBody(props.thing.name, `wipe ${props.thing.name}`, (b) => wipe(b[props.part][props.k]!.reach), true);
</script>

<template>
  <p class="row">
    <span class="label">values</span
    ><span class="tools"
      ><ElButton
        size="small"
        :type="shown ? 'primary' : 'default'"
        v-hint="'Colour the body by it in the view'"
        :data-testid="`show-${part}-${k}`"
        @click="show"
        >{{ shown ? "shown" : "show" }}</ElButton
      ><ElButton
        size="small"
        :type="painting ? 'primary' : 'default'"
        :disabled="!!not"
        v-hint="not || 'Draw on the body in the view, over what its falloff gives'"
        :data-testid="`paint-${part}-${k}`"
        @click="paint"
        >{{ painting ? "painting" : "paint" }}</ElButton
      ></span
    >
  </p>
  <div v-if="painting" class="brush" data-testid="brush-panel">
    <ChoiceRow
      label="brush"
      :hint="say('Stroke.how')"
      :options="HOW"
      ids="brush-"
      :model-value="view.brush.how"
      @update:model-value="(how) => put({ how })" />
    <NumberRow
      label="size"
      unit="m"
      :hint="say('Stroke.radius')"
      :min="0.001"
      :max="1000"
      :initial="0.2"
      :model-value="view.brush.size"
      @update:model-value="(size) => put({ size })" />
    <NumberRow
      label="strength"
      :hint="say('Stroke.strength')"
      :min="0"
      :max="1"
      :initial="1"
      :model-value="view.brush.strength"
      @update:model-value="(strength) => put({ strength })" />
    <NumberRow
      label="soft"
      :hint="say('Stroke.soft')"
      :min="0"
      :max="1"
      :initial="0.6"
      :model-value="view.brush.soft"
      @update:model-value="(soft) => put({ soft })" />
    <PickRow
      label="mirror"
      :hint="say('Stroke.mirror')"
      :options="MIRRORS"
      :model-value="view.brush.mirror"
      @update:model-value="(mirror) => put({ mirror })" />
    <p class="mute small">Drag over {{ thing.name }} in the view. Drag beside it to turn the view.</p>
  </div>
  <p v-if="strokes" class="row">
    <span class="label">painted</span
    ><span class="tools"
      ><span class="figures">{{ strokes }} {{ strokes === 1 ? "stroke" : "strokes" }}</span
      ><ElButton link size="small" data-testid="wipe" @click="clear">wipe them off</ElButton></span
    >
  </p>
</template>

<style scoped>
.tools {
  display: flex;
  gap: 6px;
  align-items: center;
}
.tools .el-button {
  margin: 0;
}
.brush {
  border-left: 2px solid var(--accent);
  padding-left: 8px;
  margin: 4px 0 6px;
}
.small {
  font-size: 12px;
}
</style>
