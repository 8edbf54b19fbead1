<script setup lang="ts">
/** Below the view: transport, the run strip (what happened), and one lane per field. */
import { computed, onBeforeUnmount, onMounted, ref } from "vue";
import type { Body, FieldItem } from "../api/types";
import { FAMILY, FAMILY_COLOR } from "../lib/document";
import type { PlaceKey } from "../lib/motion";
import { showEnergy, showLength } from "../lib/units";
import { useShot } from "../stores/shot";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import Glyph from "./Glyph.vue";

const shot = useShot();
const takes = useTakes();
const view = useView();
const emit = defineEmits<{ seek: [frame: number]; toggle: []; step: [by: number] }>();
const area = ref<HTMLElement | null>(null);
const width = ref(900);
const NAMES = 172;

const doc = computed(() => (view.showing === "take" ? takes.document : shot.document) ?? shot.document);
const fps = computed(() => doc.value?.timing.fps ?? 24);
const total = computed(() => (view.showing === "take" && takes.current ? takes.current.frames_total : (doc.value?.timing.frames ?? 240)));
const last = computed(() => Math.max(0, (takes.frames?.count ?? 1) - 1));
const x = (frame: number): number => 8 + (frame / Math.max(1, total.value)) * (width.value - 16);
const ticks = computed(() => {
  const seconds = total.value / fps.value;
  const step = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20].find((s) => seconds / s <= Math.max(4, width.value / 80)) ?? 50;
  return Array.from({ length: Math.floor(seconds / step + 1e-6) + 1 }, (_, k) => ({ at: x(k * step * fps.value), text: `${Number((k * step).toFixed(2))} s` }));
});

const broken = computed(() => takes.stats.bonds_broken ?? []);
const moving = computed(() => takes.stats.moving ?? []);
const brokenSoFar = computed(() => broken.value.slice(0, view.frame + 1).reduce((a, b) => a + b, 0));
const bars = computed(() => {
  const top = Math.max(1, ...broken.value);
  return broken.value.flatMap((n, f) => (n > 0 ? [{ x: x(f), h: 4 + 30 * Math.sqrt(n / top), f, n }] : []));
});
const line = (values: readonly number[], floor: number): string => {
  const top = values.reduce((a, b) => Math.max(a, b), floor);
  return values.map((n, f) => `${f ? "L" : "M"}${x(f).toFixed(1)} ${(40 - 34 * (Math.max(0, n) / top)).toFixed(1)}`).join("");
};
const curve = computed(() => line(moving.value, 1));
const energy = computed(() => takes.stats.energy ?? []);
const overlap = computed(() => takes.stats.overlap ?? []);
const energyLine = computed(() => line(energy.value.map((e) => e - energyFloor.value), 1e-9));
const energyFloor = computed(() => energy.value.reduce((a, b) => Math.min(a, b), energy.value[0] ?? 0));
const animated = computed(() => shot.bodies.filter((b) => b.role === "animated"));
const keysOf = (b: Body): PlaceKey[] => (b.motion?.keys ?? []) as PlaceKey[];
/** the frame at which each tie gave way in the take shown */
const gaveWay = computed(() => new Map(view.showing === "take" ? takes.events.flatMap((e) => (e.kind === "tie_broken" ? [[e.tie!, e.frame] as const] : [])) : []));

function frameAt(event: PointerEvent): number {
  const rect = area.value!.getBoundingClientRect();
  return Math.round(Math.max(0, Math.min(1, (event.clientX - rect.left - 8) / (rect.width - 16))) * total.value);
}

function scrub(event: PointerEvent): void {
  const target = event.currentTarget as HTMLElement;
  target.setPointerCapture(event.pointerId);
  emit("seek", frameAt(event));
  const move = (e: PointerEvent): void => emit("seek", frameAt(e));
  const up = (): void => {
    target.removeEventListener("pointermove", move);
    target.removeEventListener("pointerup", up);
  };
  target.addEventListener("pointermove", move);
  target.addEventListener("pointerup", up);
}

function dragCue(event: PointerEvent, field: FieldItem): void {
  event.stopPropagation();
  view.select({ kind: "field", name: field.name });
  if (view.showing === "take") view.showing = "set-up";
  const target = event.currentTarget as SVGElement;
  target.setPointerCapture(event.pointerId);
  const move = (e: PointerEvent): void => shot.editField(field.name, `cue of ${field.name}`, (f) => (f.cue.time = Number((frameAt(e) / fps.value).toFixed(4))));
  const up = (): void => {
    target.removeEventListener("pointermove", move as EventListener);
    target.removeEventListener("pointerup", up);
    void shot.flush();
  };
  target.addEventListener("pointermove", move as EventListener);
  target.addEventListener("pointerup", up);
}

/** Drag a key of an animated body along its lane; it stays between its neighbours. */
function dragKey(event: PointerEvent, body: Body, row: number): void {
  event.stopPropagation();
  view.select({ kind: "body", name: body.name });
  view.showing = "set-up";
  const target = event.currentTarget as SVGElement;
  target.setPointerCapture(event.pointerId);
  const keys = keysOf(body);
  const lo = row > 0 ? keys[row - 1]!.time + 1 / fps.value : 0;
  const hi = row < keys.length - 1 ? keys[row + 1]!.time - 1 / fps.value : 1e5;
  view.frame = Math.round(keys[row]!.time * fps.value);
  const move = (e: PointerEvent): void => {
    const time = Number(Math.min(hi, Math.max(lo, frameAt(e) / fps.value)).toFixed(4));
    view.frame = Math.round(time * fps.value);
    shot.editBody(body.name, `key of ${body.name}`, (b) => (b.motion!.keys[row]!.time = time));
  };
  const up = (): void => {
    target.removeEventListener("pointermove", move as EventListener);
    target.removeEventListener("pointerup", up);
    void shot.flush();
  };
  target.addEventListener("pointermove", move as EventListener);
  target.addEventListener("pointerup", up);
}

/** The playhead's label stays inside the strip. */
const labelShift = computed(() => Math.max(0, 26 - x(view.frame)) - Math.max(0, x(view.frame) + 26 - width.value));
const hue = (field: FieldItem): string => FAMILY_COLOR[FAMILY[field.effect.kind]];
let watcher: ResizeObserver | undefined;
onMounted(() => {
  watcher = new ResizeObserver(() => (width.value = area.value?.clientWidth ?? 900));
  watcher.observe(area.value!);
});
onBeforeUnmount(() => watcher?.disconnect());
</script>

<template>
  <section class="sheet" :class="{ folded: !view.sheetOpen }" aria-label="Cue sheet">
    <div class="left">
      <div class="transport">
        <button class="button plain" title="To the start (Home)" @click="emit('seek', 0)"><Glyph name="start" /></button>
        <button class="button plain" title="One frame back (Left)" @click="emit('step', -1)"><Glyph name="back" /></button>
        <button class="button plain play" :title="view.playing ? 'Pause (Space)' : 'Play (Space)'" data-testid="play" @click="emit('toggle')"><Glyph :name="view.playing ? 'pause' : 'play'" :size="18" /></button>
        <button class="button plain" title="One frame on (Right)" @click="emit('step', 1)"><Glyph name="forth" /></button>
        <button class="button plain" :class="{ lit: view.loop }" :aria-pressed="view.loop" title="Start over at the end (L)" @click="view.loop = !view.loop"><Glyph name="loop" /></button>
        <button class="button plain fold" :title="view.sheetOpen ? 'Fold the lanes' : 'Show the lanes'" @click="view.sheetOpen = !view.sheetOpen"><Glyph name="fold" /></button>
      </div>
      <div class="happened">
        <p><span class="ember">broken <b class="figures">{{ brokenSoFar }}</b></span></p>
        <p>moving <b class="figures">{{ moving[view.frame] ?? 0 }}</b></p>
        <p class="tide">energy <b class="figures">{{ energy.length ? showEnergy(energy[Math.min(view.frame, energy.length - 1)]!) : "–" }}</b></p>
        <p title="deepest overlap between collision shapes at this frame">overlap <b class="figures" data-testid="overlap">{{ overlap.length ? showLength(overlap[Math.min(view.frame, overlap.length - 1)]!) : "–" }}</b></p>
      </div>
      <template v-if="view.sheetOpen">
        <button v-for="f in shot.fields" :key="f.name" class="lane-name" :class="{ chosen: view.selection?.kind === 'field' && view.selection.name === f.name, off: !f.on }" :style="{ color: hue(f) }" @click="view.select({ kind: 'field', name: f.name })">
          <Glyph :name="f.effect.kind" :size="14" />{{ f.name }}
        </button>
        <button v-for="b in animated" :key="`b${b.name}`" class="lane-name keyed" :class="{ chosen: view.thing === b.name }" @click="view.select({ kind: 'body', name: b.name })"><Glyph name="peg" :size="14" />{{ b.name }}</button>
        <button v-for="t in shot.ties" :key="`t${t.name}`" class="lane-name tied" :class="{ chosen: view.selection?.kind === 'tie' && view.selection.name === t.name, off: !t.on }" @click="view.select({ kind: 'tie', name: t.name })"><Glyph :name="t.how.kind" :size="14" />{{ t.name }}</button>
        <p v-if="!shot.fields.length && !animated.length && !shot.ties.length" class="none mute">Fields, keys and ties get lanes here.</p>
      </template>
    </div>
    <div ref="area" class="right" data-testid="timeline">
      <svg :width="width" height="66" class="strip" @pointerdown="scrub">
        <g v-for="t in ticks" :key="t.text"><line :x1="t.at" :x2="t.at" y1="16" y2="66" class="tick" /><text :x="t.at > width - 36 ? t.at - 3 : t.at + 4" :text-anchor="t.at > width - 36 ? 'end' : 'start'" y="12">{{ t.text }}</text></g>
        <rect v-if="takes.frames && last < total" :x="x(last)" y="20" :width="Math.max(0, x(total) - x(last))" height="42" class="missing" />
        <g transform="translate(0 22)">
          <rect v-for="b in bars" :key="b.f" :x="b.x - 1" :y="40 - b.h" width="2.5" :height="b.h" class="broke"><title>{{ b.n }} bonds broken at frame {{ b.f }}</title></rect>
          <path :d="energyLine" class="energy" />
          <path :d="curve" class="moving" />
        </g>
      </svg>
      <template v-if="view.sheetOpen">
        <svg v-for="f in shot.fields" :key="f.name" :width="width" height="24" class="lane" :class="{ off: !f.on }" :style="{ color: hue(f) }" @pointerdown="scrub">
          <rect v-if="f.effect.kind === 'anchor'" :x="x(0)" y="7" :width="x(total) - x(0)" height="10" rx="2" class="span" />
          <path v-else :transform="`translate(${x(f.cue.time! * fps)} 12)`" d="M-4 0L0 -9L4 0L0 9Z" class="blade" :data-testid="`cue-${f.name}`" @pointerdown="dragCue($event, f)"><title>{{ f.name }} acts at {{ f.cue.time }} s · drag to move</title></path>
        </svg>
        <svg v-for="b in animated" :key="`b${b.name}`" :width="width" height="24" class="lane keyed" @pointerdown="scrub">
          <rect :x="x(keysOf(b).length ? keysOf(b)[0]!.time * fps : 0)" y="11" :width="Math.max(0, x(keysOf(b).length ? Math.min(total, keysOf(b).at(-1)!.time * fps) : total) - x(keysOf(b).length ? keysOf(b)[0]!.time * fps : 0))" height="2" class="span" />
          <path v-for="(k, row) in keysOf(b)" :key="row" :transform="`translate(${x(k.time * fps)} 12)`" d="M0 -8L4 -2L0 8L-4 -2Z" class="blade" :data-testid="`key-${b.name}-${row}`" @pointerdown="dragKey($event, b, row)"><title>key of {{ b.name }} at {{ k.time }} s, {{ k.how }} · drag to move</title></path>
        </svg>
        <svg v-for="t in shot.ties" :key="`t${t.name}`" :width="width" height="24" class="lane tied" :class="{ off: !t.on }" @pointerdown="scrub">
          <rect :x="x(0)" y="10" :width="x(gaveWay.get(t.name) ?? total) - x(0)" height="4" rx="2" class="span" />
          <path v-if="gaveWay.has(t.name)" :transform="`translate(${x(gaveWay.get(t.name)!)} 12)`" d="M-4 -6L4 6M4 -6L-4 6" class="gave"><title>{{ t.name }} gave way at frame {{ gaveWay.get(t.name) }}</title></path>
        </svg>
      </template>
      <div class="head" :style="{ transform: `translateX(${x(view.frame)}px)` }"><b class="figures" :style="{ left: `${labelShift}px` }">f {{ view.frame }}</b></div>
    </div>
  </section>
</template>

<style scoped>
.sheet { display: grid; grid-template-columns: v-bind("NAMES + 'px'") 1fr; background: var(--basalt-1); border-top: 1px solid var(--line); max-height: 240px; overflow-y: auto; overflow-x: hidden; }
.left { border-right: 1px solid var(--line); }
.transport { display: flex; align-items: center; height: 32px; padding: 0 4px; }
.transport .button { height: 26px; padding: 0 5px; color: var(--soft); }
.transport .play { color: var(--accent); }
.transport .lit { color: var(--accent); }
.fold { margin-left: auto; }
.folded .fold :deep(svg) { transform: rotate(180deg); }
.happened { height: 34px; padding: 0 8px 0 12px; font-size: 11px; line-height: 16px; color: var(--soft); display: grid; grid-template-columns: auto auto; column-gap: 8px; white-space: nowrap; }
.happened .figures { font-size: 11px; color: var(--chalk); font-weight: 500; }
.happened .ember .figures { color: inherit; }
.tide { color: var(--tide); }
.keyed { color: var(--accent); }
.tied { color: var(--lichen); }
.energy { fill: none; stroke: var(--tide); stroke-width: 1; opacity: 0.7; }
.gave { stroke: var(--ember); stroke-width: 2; }
.ember { color: var(--ember); }
.lane-name { display: flex; align-items: center; gap: 8px; height: 24px; width: 100%; padding: 0 12px; background: none; border: 0; font-weight: 600; font-size: 12px; cursor: pointer; text-align: left; }
.lane-name.chosen { background: var(--basalt-3); }
.off { opacity: 0.4; }
.none { padding: 4px 12px; font-size: 12px; }
.right { position: relative; overflow: hidden; touch-action: none; }
.right svg { display: block; }
.strip { cursor: pointer; }
.strip text { fill: var(--mute); font: 10.5px var(--figures); }
.tick { stroke: var(--line); }
.missing { fill: none; stroke: var(--line-strong); stroke-dasharray: 3 3; }
.broke { fill: var(--ember); }
.moving { fill: none; stroke: var(--chalk); stroke-width: 1.5; }
.lane:nth-of-type(even) { background: var(--basalt-2); }
.span { fill: currentColor; opacity: 0.35; }
.blade { fill: currentColor; cursor: ew-resize; stroke: var(--basalt-1); stroke-width: 1; }
.head { position: absolute; top: 0; bottom: 0; left: 0; width: 0; border-left: 2px solid var(--accent); margin-left: -1px; pointer-events: none; }
.head b { position: absolute; top: 0; transform: translateX(-50%); background: var(--accent); color: var(--on-accent); font-weight: 600; font-size: 11px; padding: 0 6px; border-radius: 3px; white-space: nowrap; }
</style>
