<script setup lang="ts">
/** Compass, scale bar and the button that brings everything into view, in a corner of the view. */
import { useStorage } from "@vueuse/core";
import { ElButton, ElDropdown, ElDropdownItem, ElDropdownMenu } from "element-plus";
import { computed } from "vue";
import { freeName } from "../lib/document";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import { SLANT } from "../viewport/Stage";
import Glyph from "./Glyph.vue";
import HandleMenu from "./HandleMenu.vue";

const props = defineProps<{
  azimuth: number;
  metresPerPixel: number;
  /** where the camera stands and looks now */
  now: () => number[];
}>();
const emit = defineEmits<{
  bring: [what: "all" | "chosen"];
  lookFrom: [direction: readonly [number, number]];
  go: [view: number[]];
}>();
const view = useView();
const shot = useShot();
const kept = useStorage<Record<string, { name: string; view: number[] }[]>>("views", {});
const own = computed(() => kept.value[shot.id] ?? []);
const LEVEL = Math.PI / 2;
const SIDES = [
  ["front", [0, LEVEL], "from +z"],
  ["right", [LEVEL, LEVEL], "from +x"],
  ["back", [Math.PI, LEVEL], "from -z"],
  ["left", [-LEVEL, LEVEL], "from -x"],
  ["top", [0, 0.001], "from above"],
  ["aslant", SLANT, "as shots open"],
] as const;

function choose(what: string): void {
  const side = SIDES.find(([word]) => word === what);
  if (side) return emit("lookFrom", side[1]);
  if (what === "all" || what === "chosen") return emit("bring", what);
  if (what === "sight") return void (view.keepInSight = !view.keepInSight);
  if (what === "keep") {
    const name = freeName(
      "view",
      own.value.map((v) => v.name),
    );
    kept.value = { ...kept.value, [shot.id]: [...own.value, { name, view: props.now() }] };
    return;
  }
  if (what === "forget") return void (kept.value = { ...kept.value, [shot.id]: [] });
  const found = own.value.find((v) => `own ${v.name}` === what);
  if (found) emit("go", found.view);
}

/** A press on the rose: from that side, or from above in its middle. */
function press(event: MouseEvent): void {
  const rect = (event.currentTarget as SVGElement).getBoundingClientRect();
  const [x, y] = [event.clientX - rect.left - rect.width / 2, event.clientY - rect.top - rect.height / 2];
  if (Math.hypot(x, y) < 7) return emit("lookFrom", SIDES[4][1]);
  const angle = Math.atan2(x, -y) - props.azimuth; // where was pressed, from the needle's side
  const quarter = Math.round(angle / LEVEL) * LEVEL;
  emit("lookFrom", [Math.PI - quarter, LEVEL]);
}

/** The longest round length that is no longer than 110 pixels. */
const scale = computed(() => {
  const wish = props.metresPerPixel * 110;
  const power = 10 ** Math.floor(Math.log10(wish));
  const nice =
    [1, 2, 5, 10]
      .map((k) => k * power)
      .filter((d) => d <= wish)
      .at(-1) ?? power;
  return {
    pixels: nice / props.metresPerPixel,
    text:
      nice >= 1
        ? `${nice} m`
        : nice >= 0.01
          ? `${Number((nice * 100).toPrecision(2))} cm`
          : `${Number((nice * 1000).toPrecision(2))} mm`,
  };
});
</script>

<template>
  <div class="corner">
    <svg
      v-hint="'The needle points to -z. Press a side to look from there, the middle to look from above'"
      width="44"
      height="44"
      viewBox="-22 -22 44 44"
      role="img"
      aria-label="compass"
      data-testid="compass"
      @click="press">
      <circle r="20" class="rose" />
      <g :transform="`rotate(${(azimuth * 180) / Math.PI})`">
        <path d="M0 -16L4.500 0H-4.500Z" class="needle" />
        <path d="M0 16L4.500 0H-4.500Z" class="tail" />
      </g>
    </svg>
    <div class="bar"><span class="figures">{{ scale.text }}</span><i :style="{ width: `${scale.pixels}px` }" /></div>
    <ElDropdown trigger="click" placement="top-start" @command="choose">
      <ElButton
        text
        class="icon"
        v-hint="'Look from, and bring into view (0 all, C what is chosen)'"
        data-testid="look">
        <Glyph name="fit" />
      </ElButton>
      <template #dropdown>
        <ElDropdownMenu>
          <ElDropdownItem command="all">all of it <kbd>0</kbd></ElDropdownItem>
          <ElDropdownItem command="chosen" :disabled="!view.thing">what is chosen <kbd>C</kbd></ElDropdownItem>
          <ElDropdownItem v-for="[word, , why] in SIDES" :key="word" :command="word" :divided="word === 'front'"
            >{{ word }} <kbd>{{ why }}</kbd></ElDropdownItem
          >
          <ElDropdownItem v-for="(v, k) in own" :key="v.name" :command="`own ${v.name}`" :divided="k === 0">{{
            v.name
          }}</ElDropdownItem>
          <ElDropdownItem command="keep" divided>keep this view</ElDropdownItem>
          <ElDropdownItem v-if="own.length" command="forget">forget kept views</ElDropdownItem>
          <ElDropdownItem command="sight" divided>{{
            view.keepInSight ? "do not follow what grows" : "keep in sight what grows"
          }}</ElDropdownItem>
        </ElDropdownMenu>
      </template>
    </ElDropdown>
    <HandleMenu />
  </div>
</template>

<style scoped>
.corner {
  position: absolute;
  left: 10px;
  bottom: 8px;
  display: flex;
  align-items: center;
  gap: 14px;
  padding: 3px 6px 3px 4px;
  border-radius: 26px 8px 8px 26px;
  background: color-mix(in srgb, var(--basalt-0) 58%, transparent);
  color: var(--soft);
  pointer-events: none;
}
.corner button {
  pointer-events: auto;
  color: var(--soft);
}
.corner svg[role="img"] {
  pointer-events: auto;
  cursor: pointer;
}
.rose {
  fill: none;
  stroke: var(--line-strong);
}
.needle {
  fill: var(--accent);
}
.tail {
  fill: var(--mute);
  opacity: 0.5;
}
.bar {
  display: flex;
  flex-direction: column;
  align-items: center;
}
.bar i {
  height: 5px;
  border: solid var(--soft);
  border-width: 0 1px 1px;
}
</style>
