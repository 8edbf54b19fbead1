<script setup lang="ts">
/** Below the view: transport, the run strip (what happened), and one lane per field. */
import { computed, onBeforeUnmount, onMounted, ref } from "vue";
import type { FieldItem, ShotDocument } from "../api/types";
import { FAMILY, FAMILY_COLOR, OVER_TIME } from "../lib/document";
import { copyKeys, keyId, keysOf, pasteKeys, removeKeys, retime, type KeyRef } from "../lib/keys";
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
const NAMES = 188;

const doc = computed(() => (view.showing === "take" ? takes.document : shot.document) ?? shot.document);
const fps = computed(() => doc.value?.timing.fps ?? 24);
const total = computed(() =>
  view.showing === "take" && takes.current ? takes.current.frames_total : (doc.value?.timing.frames ?? 240),
);
const last = computed(() => Math.max(0, (takes.frames?.count ?? 1) - 1));
const x = (frame: number): number => 8 + (frame / Math.max(1, total.value)) * (width.value - 16);
const ticks = computed(() => {
  const seconds = total.value / fps.value;
  const step = [0.1, 0.2, 0.5, 1, 2, 5, 10, 20].find((s) => seconds / s <= Math.max(4, width.value / 80)) ?? 50;
  return Array.from({ length: Math.floor(seconds / step + 1e-6) + 1 }, (_, k) => ({
    at: x(k * step * fps.value),
    text: `${Number((k * step).toFixed(2))} s`,
  }));
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
  return values
    .map((n, f) => `${f ? "L" : "M"}${x(f).toFixed(1)} ${(40 - 34 * (Math.max(0, n) / top)).toFixed(1)}`)
    .join("");
};
const curve = computed(() => line(moving.value, 1));
const energy = computed(() => takes.stats.energy ?? []);
const overlap = computed(() => takes.stats.overlap ?? []);
const energyLine = computed(() =>
  line(
    energy.value.map((e) => e - energyFloor.value),
    1e-9,
  ),
);
const energyFloor = computed(() => energy.value.reduce((a, b) => Math.min(a, b), energy.value[0] ?? 0));
const keyed = computed(() =>
  shot.things
    .filter((t) => (t.body.role === "animated" && !t.group) || t.body.channels?.length)
    .map((t) => ({
      name: t.name,
      kind: t.group ? ("group" as const) : ("body" as const),
      steady: t.body.role === "animated" && !t.body.motion,
    })),
);
/** first and last key of a body's lane [s] */
const spanOf = (b: { kind: string; name: string }): [number, number] => {
  const times = laneKeys(`${b.kind} ${b.name}`).map((k) => k.time);
  return [Math.min(...times), Math.max(...times)];
};
const falloffs = computed(() => (shot.document?.falloffs ?? []).filter((f) => f.channels?.length));
/** the frame at which each tie gave way in the take shown */
const gaveWay = computed(
  () =>
    new Map(
      view.showing === "take"
        ? takes.events.flatMap((e) => (e.kind === "tie_broken" ? [[e.tie!, e.frame] as const] : []))
        : [],
    ),
);

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

/** Drag with the pointer: told every frame it passes; the edit is saved at the end. */
function dragging(
  event: PointerEvent,
  move: (frame: number, e: PointerEvent) => void,
  end: () => void = () => undefined,
): void {
  event.stopPropagation();
  shot.hold();
  if (view.showing === "take") view.showing = "set-up";
  const target = event.currentTarget as SVGElement;
  target.setPointerCapture(event.pointerId);
  const go = (e: PointerEvent): void => move(frameAt(e), e);
  const up = (): void => {
    target.removeEventListener("pointermove", go as EventListener);
    target.removeEventListener("pointerup", up);
    end();
    void shot.flush();
  };
  target.addEventListener("pointermove", go as EventListener);
  target.addEventListener("pointerup", up);
}

type Cue = Record<string, number | null | number[]> & { kind: string };
const cueOf = (f: FieldItem): Cue => f.cue as unknown as Cue;
const seconds = (frame: number): number => Number((frame / fps.value).toFixed(4));
const bare = (f: FieldItem): boolean => !OVER_TIME.has(f.effect.kind);

/** Move a whole cue, or one end of a span. */
function dragCue(event: PointerEvent, field: FieldItem, part: "all" | "start" | "end" = "all"): void {
  view.select({ kind: "field", name: field.name });
  const before = structuredClone(cueOf(field));
  const from = frameAt(event);
  dragging(event, (frame) =>
    shot.editField(field.name, `cue of ${field.name}`, (f) => {
      const cue = cueOf(f);
      const shift = seconds(frame - from);
      const put = (key: string): void => {
        if (typeof before[key] === "number") cue[key] = Number(Math.max(0, (before[key] as number) + shift).toFixed(4));
      };
      if (cue.kind === "hand")
        cue.times = (before.times as number[]).map((t) => Number(Math.max(0, t + shift).toFixed(4)));
      if (part !== "end") ["time", "start"].forEach(put);
      if (part !== "start") put("end");
      if (cue.kind === "span" && typeof cue.end === "number" && cue.end <= (cue.start as number))
        cue[part === "start" ? "start" : "end"] =
          part === "start" ? Math.max(0, cue.end - 1 / fps.value) : (cue.start as number) + 1 / fps.value;
    }),
  );
}

/** Bars of a lane: spans and pulses that last, in frames. */
function barsOf(f: FieldItem): { from: number; to: number; ease: number; out: number }[] {
  const cue = cueOf(f);
  const num = (key: string): number => (cue[key] as number | null) ?? 0;
  if (f.effect.kind === "anchor") return [{ from: 0, to: total.value, ease: 0, out: 0 }];
  if (cue.kind === "span")
    return [
      {
        from: num("start") * fps.value,
        to: cue.end === null ? total.value : num("end") * fps.value,
        ease: num("ease_in") * fps.value,
        out: num("ease_out") * fps.value,
      },
    ];
  if (cue.kind === "at" && !bare(f)) return [{ from: num("time") * fps.value, to: total.value, ease: 0, out: 0 }];
  return num("length") > 0
    ? starts(f).map((t) => ({ from: t, to: t + num("length") * fps.value, ease: 0, out: 0 }))
    : [];
}

/** Frames at which blows fall. */
function starts(f: FieldItem): number[] {
  const cue = cueOf(f);
  if (cue.kind === "at") return [(cue.time as number) * fps.value];
  if (cue.kind === "hand") return (cue.times as number[]).map((t) => t * fps.value);
  if (cue.kind !== "pulse") return [];
  const every = (cue.every as number) * fps.value;
  const most = Math.min(
    (cue.count as number | null) ?? Infinity,
    Math.floor((total.value - (cue.start as number) * fps.value) / every) + 1,
    400,
  );
  return Array.from({ length: Math.max(0, most) }, (_, k) => (cue.start as number) * fps.value + k * every);
}
const blows = (f: FieldItem): number[] => (f.effect.kind === "anchor" || barsOf(f).length ? [] : starts(f));
/** hits that called a field in the take shown, in frames */
const called = (f: FieldItem): number[] =>
  f.cue.kind === "impact" && view.showing === "take"
    ? takes.events.filter((e) => e.kind === "cue" && e.field === f.name).map((e) => e.frame)
    : [];

// keys: chosen together, moved, scaled, copied

const chosen = ref<KeyRef[]>([]);
const chosenIds = computed(() => new Set(chosen.value.map(keyId)));
const allKeys = computed(() => (shot.document ? keysOf(shot.document) : []));
const laneKeys = (lane: string): KeyRef[] => allKeys.value.filter((k) => k.lane === lane);
const box = ref<{ x: number; y: number; w: number; h: number } | null>(null);
let copies: ReturnType<typeof copyKeys> = [];

function editKeys(what: string, change: (d: ShotDocument) => KeyRef[] | void): void {
  shot.edit(what, (d) => {
    const now = change(d);
    if (now) chosen.value = now;
  });
}

/** Drag the chosen keys along; with Alt, stretch them about the first. */
function dragKeys(event: PointerEvent, key: KeyRef): void {
  const [kind, ...rest] = key.lane.split(" ");
  view.select({ kind: kind as "body" | "field" | "falloff", name: rest.join(" ") });
  if (event.shiftKey) {
    event.stopPropagation();
    chosen.value = chosenIds.value.has(keyId(key))
      ? chosen.value.filter((k) => keyId(k) !== keyId(key))
      : [...chosen.value, key];
    return;
  }
  if (!chosenIds.value.has(keyId(key))) chosen.value = [key];
  view.frame = Math.round(key.time * fps.value);
  let now = chosen.value;
  let held = key.time;
  const first = Math.min(...now.map((k) => k.time));
  dragging(event, (frame, e) => {
    const to = frame / fps.value;
    if (Math.abs(to - held) < 0.5 / fps.value) return;
    const snap = (t: number): number => Math.round(t * fps.value) / fps.value;
    const stretch = e.altKey && held > first ? (to - first) / (held - first) : 0;
    if (e.altKey && stretch <= 0) return;
    const by = to - held;
    editKeys(
      "move keys",
      (d) => (now = retime(d, now, (t) => (stretch ? snap(first + (t - first) * stretch) : snap(t + by)))),
    );
    held = to;
    view.frame = frame;
  });
}

/** Drag with Shift over the lanes: all keys in the box. */
function boxKeys(event: PointerEvent): void {
  if (!event.shiftKey) {
    chosen.value = [];
    return scrub(event);
  }
  const rect = area.value!.getBoundingClientRect();
  const from = { x: event.clientX - rect.left, y: event.clientY - rect.top };
  const target = event.currentTarget as HTMLElement;
  target.setPointerCapture(event.pointerId);
  const move = (e: PointerEvent): void => {
    const to = { x: e.clientX - rect.left, y: e.clientY - rect.top };
    box.value = {
      x: Math.min(from.x, to.x),
      y: Math.min(from.y, to.y),
      w: Math.abs(to.x - from.x),
      h: Math.abs(to.y - from.y),
    };
    const b = box.value;
    const lanes = [...area.value!.querySelectorAll<SVGElement>("[data-lane]")]
      .filter((l) => {
        const r = l.getBoundingClientRect();
        return r.bottom - rect.top > b.y && r.top - rect.top < b.y + b.h;
      })
      .map((l) => l.dataset.lane);
    chosen.value = allKeys.value.filter(
      (k) => lanes.includes(k.lane) && x(k.time * fps.value) >= b.x && x(k.time * fps.value) <= b.x + b.w,
    );
  };
  const up = (): void => {
    box.value = null;
    target.removeEventListener("pointermove", move);
    target.removeEventListener("pointerup", up);
  };
  target.addEventListener("pointermove", move);
  target.addEventListener("pointerup", up);
}

function onKey(event: KeyboardEvent): void {
  if ((event.target as HTMLElement).closest("input, textarea, select") || !shot.document) return;
  const ctrl = event.ctrlKey || event.metaKey;
  const done = (): void => {
    event.preventDefault();
    event.stopImmediatePropagation();
  };
  if (chosen.value.length && event.key === "Delete") {
    done();
    editKeys("delete keys", (d) => {
      removeKeys(d, chosen.value);
      return [];
    });
  } else if (chosen.value.length && ctrl && event.key.toLowerCase() === "c") {
    done();
    copies = copyKeys(shot.document, chosen.value);
  } else if (copies.length && ctrl && event.key.toLowerCase() === "v") {
    done();
    editKeys("paste keys", (d) => pasteKeys(d, copies, seconds(view.frame)));
  } else if (chosen.value.length && event.key === "Escape") {
    done();
    chosen.value = [];
  }
}

/** The playhead's label stays inside the strip. */
const labelShift = computed(() => Math.max(0, 26 - x(view.frame)) - Math.max(0, x(view.frame) + 26 - width.value));
const hue = (field: FieldItem): string => FAMILY_COLOR[FAMILY[field.effect.kind]];
let watcher: ResizeObserver | undefined;
onMounted(() => {
  watcher = new ResizeObserver(() => (width.value = area.value?.clientWidth ?? 900));
  watcher.observe(area.value!);
  window.addEventListener("keydown", onKey, true);
});
onBeforeUnmount(() => {
  watcher?.disconnect();
  window.removeEventListener("keydown", onKey, true);
});
</script>

<template>
  <section class="sheet" :class="{ folded: !view.sheetOpen }" aria-label="Cue sheet">
    <div class="left">
      <div class="transport">
        <button class="button plain" title="To the start (Home)" @click="emit('seek', 0)">
          <Glyph name="start" />
        </button>
        <button class="button plain" title="One frame back (Left)" @click="emit('step', -1)">
          <Glyph name="back" />
        </button>
        <button
          class="button plain play"
          :title="view.playing ? 'Pause (Space)' : 'Play (Space)'"
          data-testid="play"
          @click="emit('toggle')">
          <Glyph :name="view.playing ? 'pause' : 'play'" :size="18" />
        </button>
        <button class="button plain" title="One frame on (Right)" @click="emit('step', 1)">
          <Glyph name="forth" />
        </button>
        <button
          class="button plain"
          :class="{ lit: view.loop }"
          :aria-pressed="view.loop"
          title="Start over at the end (L)"
          @click="view.loop = !view.loop">
          <Glyph name="loop" />
        </button>
        <button
          class="button plain fold"
          :title="view.sheetOpen ? 'Fold the lanes' : 'Show the lanes'"
          @click="view.sheetOpen = !view.sheetOpen">
          <Glyph name="fold" />
        </button>
      </div>
      <div class="happened">
        <p>
          <span class="ember"
            >broken <b class="figures">{{ brokenSoFar }}</b></span
          >
        </p>
        <p>
          moving <b class="figures">{{ moving[view.frame] ?? 0 }}</b>
        </p>
        <p class="tide">
          energy
          <b class="figures">{{
            energy.length ? showEnergy(energy[Math.min(view.frame, energy.length - 1)]!) : "–"
          }}</b>
        </p>
        <p title="deepest overlap between collision shapes at this frame">
          overlap
          <b class="figures" data-testid="overlap">{{
            overlap.length ? showLength(overlap[Math.min(view.frame, overlap.length - 1)]!) : "–"
          }}</b>
        </p>
      </div>
      <template v-if="view.sheetOpen">
        <button
          v-for="f in shot.fields"
          :key="f.name"
          class="lane-name"
          :class="{ chosen: view.selection?.kind === 'field' && view.selection.name === f.name, off: !f.on }"
          :style="{ color: hue(f) }"
          @click="view.select({ kind: 'field', name: f.name })">
          <Glyph :name="f.effect.kind" :size="14" />{{ f.name }}
        </button>
        <button
          v-for="o in falloffs"
          :key="`o${o.name}`"
          class="lane-name keyed"
          :class="{ chosen: view.selection?.kind === 'falloff' && view.selection.name === o.name }"
          @click="view.select({ kind: 'falloff', name: o.name })">
          <Glyph name="falloff" :size="14" />{{ o.name }}
        </button>
        <button
          v-for="b in keyed"
          :key="`b${b.name}`"
          class="lane-name keyed"
          :class="{ chosen: view.thing === b.name }"
          @click="view.select({ kind: b.kind, name: b.name })">
          <Glyph name="peg" :size="14" />{{ b.name }}
        </button>
        <button
          v-for="t in shot.ties"
          :key="`t${t.name}`"
          class="lane-name tied"
          :class="{ chosen: view.selection?.kind === 'tie' && view.selection.name === t.name, off: !t.on }"
          @click="view.select({ kind: 'tie', name: t.name })">
          <Glyph :name="t.how.kind" :size="14" />{{ t.name }}
        </button>
        <p v-if="!shot.fields.length && !keyed.length && !shot.ties.length" class="none mute">
          Fields, keys and ties get lanes here.
        </p>
      </template>
    </div>
    <div ref="area" class="right" data-testid="timeline">
      <svg :width="width" height="66" class="strip" @pointerdown="scrub">
        <g v-for="t in ticks" :key="t.text">
          <line :x1="t.at" :x2="t.at" y1="16" y2="66" class="tick" />
          <text :x="t.at > width - 36 ? t.at - 3 : t.at + 4" :text-anchor="t.at > width - 36 ? 'end' : 'start'" y="12">
            {{ t.text }}
          </text>
        </g>
        <rect
          v-if="takes.frames && last < total"
          :x="x(last)"
          y="20"
          :width="Math.max(0, x(total) - x(last))"
          height="42"
          class="missing" />
        <g transform="translate(0 22)">
          <rect v-for="b in bars" :key="b.f" :x="b.x - 1" :y="40 - b.h" width="2.5" :height="b.h" class="broke">
            <title>{{ b.n }} bonds broken at frame {{ b.f }}</title>
          </rect>
          <path :d="energyLine" class="energy" />
          <path :d="curve" class="moving" />
        </g>
      </svg>
      <template v-if="view.sheetOpen">
        <svg
          v-for="f in shot.fields"
          :key="f.name"
          :width="width"
          height="24"
          class="lane"
          :class="{ off: !f.on }"
          :style="{ color: hue(f) }"
          :data-lane="`field ${f.name}`"
          @pointerdown="boxKeys">
          <template v-for="(b, k) in barsOf(f)" :key="`b${k}`">
            <path
              :d="`M${x(b.from)} 17L${x(b.from + b.ease)} 8H${x(Math.max(b.from + b.ease, b.to - b.out))}L${x(b.to)} 17Z`"
              class="span"
              :class="{ grab: f.effect.kind !== 'anchor' }"
              :data-testid="k === 0 ? `cue-${f.name}` : undefined"
              @pointerdown="f.effect.kind !== 'anchor' && dragCue($event, f)">
              <title>{{ f.name }} acts from {{ Number((b.from / fps).toFixed(3)) }} s · drag to move</title>
            </path>
            <template v-if="f.cue.kind === 'span' && f.effect.kind !== 'anchor'">
              <rect
                :x="x(b.from) - 3"
                y="6"
                width="6"
                height="12"
                class="end"
                @pointerdown="dragCue($event, f, 'start')" />
              <rect
                v-if="f.cue.end !== null"
                :x="x(b.to) - 3"
                y="6"
                width="6"
                height="12"
                class="end"
                @pointerdown="dragCue($event, f, 'end')" />
            </template>
          </template>
          <path
            v-for="(t, k) in blows(f)"
            :key="`t${k}`"
            :transform="`translate(${x(t)} 12)`"
            d="M-4 0L0 -9L4 0L0 9Z"
            class="blade"
            :data-testid="k === 0 ? `cue-${f.name}` : undefined"
            @pointerdown="dragCue($event, f)">
            <title>{{ f.name }} acts at {{ Number((t / fps).toFixed(3)) }} s · drag to move</title>
          </path>
          <text
            v-if="f.cue.kind === 'impact' && f.effect.kind !== 'anchor' && !called(f).length"
            x="14"
            y="16"
            class="waits">
            waits for a hit above {{ f.cue.above }} kN
          </text>
          <path
            v-for="t in called(f)"
            :key="`c${t}`"
            :transform="`translate(${x(t)} 12)`"
            d="M-5 -5L0 0L5 -5M0 0V7"
            class="call" />
          <path
            v-for="(k, row) in laneKeys(`field ${f.name}`)"
            :key="`k${row}`"
            :transform="`translate(${x(k.time * fps)} 12)`"
            d="M0 -7L3.500 -2L0 7L-3.500 -2Z"
            class="peg"
            :class="{ chosen: chosenIds.has(keyId(k)) }"
            :data-testid="`peg-${f.name}-${k.of}`"
            @pointerdown="dragKeys($event, k)">
            <title>key of {{ k.of }} at {{ k.time }} s · drag; Shift adds, Alt stretches</title>
          </path>
        </svg>
        <svg
          v-for="o in falloffs"
          :key="`o${o.name}`"
          :width="width"
          height="24"
          class="lane keyed"
          :data-lane="`falloff ${o.name}`"
          @pointerdown="boxKeys">
          <path
            v-for="(k, row) in laneKeys(`falloff ${o.name}`)"
            :key="row"
            :transform="`translate(${x(k.time * fps)} 12)`"
            d="M0 -7L3.500 -2L0 7L-3.500 -2Z"
            class="peg"
            :class="{ chosen: chosenIds.has(keyId(k)) }"
            @pointerdown="dragKeys($event, k)" />
        </svg>
        <svg
          v-for="b in keyed"
          :key="`b${b.name}`"
          :width="width"
          height="24"
          class="lane keyed"
          :data-lane="`${b.kind} ${b.name}`"
          @pointerdown="boxKeys">
          <rect v-if="b.steady" :x="x(0)" y="11" :width="x(total) - x(0)" height="2" class="span" />
          <rect
            v-else-if="laneKeys(`${b.kind} ${b.name}`).length"
            :x="x(spanOf(b)[0] * fps)"
            y="11"
            :width="Math.max(0, x(Math.min(total, spanOf(b)[1] * fps)) - x(spanOf(b)[0] * fps))"
            height="2"
            class="span" />
          <path
            v-for="(k, row) in laneKeys(`${b.kind} ${b.name}`)"
            :key="row"
            :transform="`translate(${x(k.time * fps)} 12)`"
            d="M0 -8L4 -2L0 8L-4 -2Z"
            class="peg"
            :class="{ chosen: chosenIds.has(keyId(k)) }"
            :data-testid="`key-${b.name}-${row}`"
            @pointerdown="dragKeys($event, k)">
            <title>key of {{ k.of || b.name }} at {{ k.time }} s · drag; Shift adds, Alt stretches</title>
          </path>
        </svg>
        <svg
          v-for="t in shot.ties"
          :key="`t${t.name}`"
          :width="width"
          height="24"
          class="lane tied"
          :class="{ off: !t.on }"
          @pointerdown="boxKeys">
          <rect :x="x(0)" y="10" :width="x(gaveWay.get(t.name) ?? total) - x(0)" height="4" rx="2" class="span" />
          <path
            v-if="gaveWay.has(t.name)"
            :transform="`translate(${x(gaveWay.get(t.name)!)} 12)`"
            d="M-4 -6L4 6M4 -6L-4 6"
            class="gave">
            <title>{{ t.name }} gave way at frame {{ gaveWay.get(t.name) }}</title>
          </path>
        </svg>
      </template>
      <div
        v-if="box"
        class="box"
        :style="{ left: `${box.x}px`, top: `${box.y}px`, width: `${box.w}px`, height: `${box.h}px` }" />
      <div class="head" :style="{ transform: `translateX(${x(view.frame)}px)` }">
        <b class="figures" :style="{ left: `${labelShift}px` }">f {{ view.frame }}</b>
      </div>
    </div>
  </section>
</template>

<style scoped>
.sheet {
  display: grid;
  grid-template-columns: v-bind("NAMES + 'px'") 1fr;
  background: var(--basalt-1);
  border-top: 1px solid var(--line);
  max-height: 240px;
  overflow-y: auto;
  overflow-x: hidden;
}
.left {
  border-right: 1px solid var(--line);
}
.transport {
  display: flex;
  align-items: center;
  height: 32px;
  padding: 0 4px;
}
.transport .button {
  height: 26px;
  padding: 0 5px;
  color: var(--soft);
}
.transport .play {
  color: var(--accent);
}
.transport .lit {
  color: var(--accent);
}
.fold {
  margin-left: auto;
}
.folded .fold :deep(svg) {
  transform: rotate(180deg);
}
.happened {
  height: 34px;
  padding: 0 4px 0 12px;
  font-size: 10.5px;
  overflow: hidden;
  line-height: 16px;
  color: var(--soft);
  display: grid;
  grid-template-columns: auto auto;
  column-gap: 6px;
  white-space: nowrap;
}
.happened .figures {
  font-size: 10.5px;
  color: var(--chalk);
  font-weight: 500;
}
.happened .ember .figures {
  color: inherit;
}
.tide {
  color: var(--tide);
}
.keyed {
  color: var(--accent);
}
.tied {
  color: var(--lichen);
}
.energy {
  fill: none;
  stroke: var(--tide);
  stroke-width: 1;
  opacity: 0.7;
}
.gave {
  stroke: var(--ember);
  stroke-width: 2;
}
.ember {
  color: var(--ember);
}
.lane-name {
  display: flex;
  align-items: center;
  gap: 8px;
  height: 24px;
  width: 100%;
  padding: 0 12px;
  background: none;
  border: 0;
  font-weight: 600;
  font-size: 12px;
  cursor: pointer;
  text-align: left;
}
.lane-name.chosen {
  background: var(--basalt-3);
}
.off {
  opacity: 0.4;
}
.none {
  padding: 4px 12px;
  font-size: 12px;
}
.right {
  position: relative;
  overflow: hidden;
  touch-action: none;
}
.right svg {
  display: block;
}
.strip {
  cursor: pointer;
}
.strip text {
  fill: var(--mute);
  font: 10.5px var(--figures);
}
.tick {
  stroke: var(--line);
}
.missing {
  fill: none;
  stroke: var(--line-strong);
  stroke-dasharray: 3 3;
}
.broke {
  fill: var(--ember);
}
.moving {
  fill: none;
  stroke: var(--chalk);
  stroke-width: 1.5;
}
.lane:nth-of-type(even) {
  background: var(--basalt-2);
}
.span {
  fill: currentColor;
  opacity: 0.35;
}
.grab {
  cursor: ew-resize;
}
.end {
  fill: currentColor;
  cursor: col-resize;
  opacity: 0.9;
}
.peg {
  fill: var(--basalt-1);
  stroke: currentColor;
  stroke-width: 1.5;
  cursor: ew-resize;
}
.peg.chosen {
  fill: currentColor;
}
.call {
  fill: none;
  stroke: currentColor;
  stroke-width: 1.5;
}
.waits {
  fill: var(--mute);
  font: 11px var(--text);
}
.box {
  position: absolute;
  border: 1px solid var(--accent);
  background: color-mix(in srgb, var(--accent) 12%, transparent);
  pointer-events: none;
}
.blade {
  fill: currentColor;
  cursor: ew-resize;
  stroke: var(--basalt-1);
  stroke-width: 1;
}
.head {
  position: absolute;
  top: 0;
  bottom: 0;
  left: 0;
  width: 0;
  border-left: 2px solid var(--accent);
  margin-left: -1px;
  pointer-events: none;
}
.head b {
  position: absolute;
  top: 0;
  transform: translateX(-50%);
  background: var(--accent);
  color: var(--on-accent);
  font-weight: 600;
  font-size: 11px;
  padding: 0 6px;
  border-radius: 3px;
  white-space: nowrap;
}
</style>
