<script setup lang="ts">
/** The view: joins the stores to the stage, and draws the compass, scale bar, labels and legend over it. */
import { computed, onBeforeUnmount, onMounted, ref, shallowRef, watch } from "vue";
import { useFraming } from "../composables/useFraming";
import { tidy, useHandles } from "../composables/useHandles";
import { useShown, type Shown } from "../composables/useShown";
import { arrowUnit, causeWords, FAMILY, FAMILY_COLOR, freeName, layersOf, newTie, type Family } from "../lib/document";
import { pieceFigures } from "../lib/pieces";
import { hexColor, type Rgb } from "../lib/ramp";
import type { Vec } from "../lib/rotation";
import { showMass, showNumber } from "../lib/units";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import type { Layer, Tie } from "../api/types";
import { useTakes } from "../stores/takes";
import { useView, type Step } from "../stores/view";
import { drawArrows } from "../viewport/arrows";
import { bondLines, markLines, oneColor, shapeLines } from "../viewport/lines";
import { actedOn, byFields, byMap, byWeight } from "../viewport/maps";
import { paint } from "../viewport/paint";
import { Stage, type Reach } from "../viewport/Stage";
import { drawTies, hitPiece, tieEnds, type TieEnds } from "../viewport/ties";
import Glyph from "./Glyph.vue";
import ViewCorner from "./ViewCorner.vue";
import ViewLegend from "./ViewLegend.vue";

const emit = defineEmits<{ files: [files: File[]] }>();
const shot = useShot();
const pieces = usePieces();
const survey = useSurvey();
const takes = useTakes();
const view = useView();
const host = ref<HTMLElement | null>(null);
const stage = shallowRef<Stage | null>(null);
const azimuth = ref(0);
const metresPerPixel = ref(0.0125);
const dropping = ref(false);
const labels = ref<
  { name: string; text: string; x: number; y: number; width: number; color: string; chosen: boolean }[]
>([]);
const card = ref<{ x: number; y: number; lines: string[] } | null>(null);
const hovered = ref(-1);
const box = ref<{ x: number; y: number; w: number; h: number } | null>(null);
const tieTags = ref<{ name: string; kind: string; end: 0 | 1; x: number; y: number; chosen: boolean }[]>([]);
const { inTake, time, shown, missing } = useShown();
/** steps in which the piece under the pointer says its numbers */
const HOVERS: Step[] = ["break", "bind", "drive"];
const { placeHandles, onMove } = useHandles(stage, inTake, time);
let ends: TieEnds[] = [];
let laid = "";

const chosenThing = computed<Shown | undefined>(() => shown.value.find((s) => s.name === view.thing));
const { size, fit, fitOnce, cutOpen } = useFraming(stage, shown, missing, chosenThing);
const deepest = computed(() => Math.max(0, ...shown.value.map((s) => pieceFigures(s.packed).tiers)));

const ids = new WeakMap<object, number>();
let nextId = 0;
function idOf(thing: object): number {
  if (!ids.has(thing)) ids.set(thing, nextId++);
  return ids.get(thing)!;
}

/** Lay out geometry anew if the set of bodies or their pieces changed; true if it did. */
function layOut(s: Stage): boolean {
  const mark = shown.value.map((b) => `${b.name}:${b.copies.length}:${idOf(b.packed)}`).join("|");
  if (mark === laid) return false;
  laid = mark;
  s.batch.setBodies(shown.value.map((b) => ({ name: b.name, packed: b.packed, copies: b.copies.length })));
  return true;
}

const brokeAt = computed(() => {
  const out = new Map<string, number>();
  for (const e of takes.events) if (e.kind === "bond_broken" && e.body && !out.has(e.body)) out.set(e.body, e.frame);
  return out;
});

/** The families' hues as the theme has them. */
function familyColors(): Record<Family, Rgb> {
  const style = getComputedStyle(document.documentElement);
  const of = (name: string): Rgb => hexColor(style.getPropertyValue(name).trim());
  return { holds: of("--lichen"), breaks: of("--ember"), moves: of("--tide"), ends: of("--ash") };
}

function repaint(): void {
  const s = stage.value;
  if (!s) return;
  const fresh = layOut(s);
  const values = survey.result?.values;
  const anchors = shot.fields.filter((f) => f.on && f.effect.kind === "anchor");
  const known = survey.result?.bodies.reduce((sum, [, n]) => sum + n, 0) === s.batch.count;
  const document = inTake.value ? takes.document! : shot.document;
  const frames = inTake.value && takes.frames?.pieces === s.batch.count ? takes.frames : null;
  const at = frames ? Math.min(view.frame, frames.count - 1) : 0;
  const own = !document
    ? null
    : view.colorBy === "map"
      ? frames || (known && !inTake.value)
        ? byMap(document, view.map, frames, at, survey.result)
        : null
      : view.colorBy === "fields" && frames?.maps.acted
        ? byFields(frames, document, at, familyColors())
        : view.colorBy === "weight" && frames?.maps.load
          ? byWeight(frames, at)
          : null;
  paint(s.batch, shown.value, {
    own,
    colorBy: view.colorBy,
    explode: view.explode,
    chosen: view.thing,
    whole: view.step !== "break" && view.step !== "bind" && !view.piece,
    picked: new Set(view.picked.length ? view.picked : view.piece ? [view.piece.index] : []),
    frames: inTake.value ? takes.frames : null,
    frame: view.frame,
    reach:
      known && view.colorBy === "reach" && view.selection?.kind === "field" ? values?.[view.selection.name] : undefined,
    held: (name, p) =>
      !!known &&
      anchors.some(
        (f) =>
          (f.targets === "all" || f.targets!.includes(name)) &&
          (values?.[f.name]?.[p] ?? 0) >= ((f.effect as { cut?: number }).cut ?? 0.5),
      ),
    strengths: pieces.strengths,
    brokeAt: brokeAt.value,
  });
  if (fresh) fitOnce();
  drawBonds();
  drawMarks();
  drawTiesNow();
  drawShapes();
  s.invalidate();
}

function drawBonds(): void {
  const s = stage.value!;
  const thing = chosenThing.value;
  const drawn =
    thing && !inTake.value && view.bonds !== "hidden"
      ? bondLines(
          s.batch,
          thing,
          pieces.strengths.get(thing.name),
          view.bonds === "weight" ? (pieces.weights.get(thing.name) ?? null) : undefined,
        )
      : null;
  s.bonds.set(drawn?.at ?? null, drawn?.colors);
}

/** Ties at the frame shown; in the set-up only where they are worked on. */
function drawTiesNow(): void {
  const s = stage.value!;
  const all = inTake.value ? ((takes.document?.ties as Tie[] | undefined) ?? []) : shot.ties;
  const chosen = view.selection?.kind === "tie" ? view.selection.name : null;
  const on = inTake.value || view.step === "bind" || view.step === "drive" || view.step === "build";
  const gone = new Set(
    inTake.value ? takes.events.filter((e) => e.kind === "tie_broken" && e.frame <= view.frame).map((e) => e.tie!) : [],
  );
  ends = on ? tieEnds(s.batch, shown.value, all, inTake.value ? takes.frames : null, view.frame, time.value, gone) : [];
  const drawn = drawTies(ends, 0.02 * size.value, (name) =>
    name === chosen ? [0.31, 0.76, 0.63] : [0.66, 0.77, 0.42],
  );
  s.ties.set(drawn.ends.length ? drawn.ends : null, drawn.colors);
}

function drawShapes(): void {
  const thing = view.shapes && !inTake.value ? chosenThing.value : undefined;
  const found = thing && pieces.shapes.get(thing.name);
  const at = thing && found ? shapeLines(thing, found) : null;
  stage.value!.shapes.set(at, at ? oneColor(at, [0.44, 0.7, 0.89]) : undefined);
}

function drawMarks(): void {
  const body = shot.things.find((t) => t.name === view.selection?.name)?.body;
  const at = body && view.marks.length && !inTake.value ? markLines(body, view.marks) : null;
  stage.value!.marks.set(at, at ? oneColor(at, [1, 0.48, 0.3]) : undefined);
}

/** Bounds of one thing, or of all, in the world. */
/** The layers shown: of all fields in the steps that set them, else of the chosen one; of a chosen shared falloff. */
function reaches(): Reach[] {
  if (inTake.value) return [];
  const on = view.step === "drive" || view.step === "bind";
  const chosen = view.selection?.kind === "field" ? view.selection.name : null;
  const out: Reach[] = shot.fields
    .filter(
      (f) =>
        (f.on || f.name === chosen) &&
        ((on && (view.step !== "bind" || f.effect.kind === "anchor")) || f.name === chosen),
    )
    .flatMap((f) =>
      layersOf(f, shot.document).map((layer, k) => ({
        key: `${f.name}#${k}`,
        layer,
        color: FAMILY_COLOR[FAMILY[f.effect.kind]],
        chosen: f.name === chosen,
        sliced:
          f.name === chosen &&
          (f.reach.use ? k === 0 : k === Math.min(view.layer, layersOf(f, shot.document).length - 1)),
        stood: (survey.result?.stands[f.name] as Reach["stood"]) ?? null,
      })),
    );
  const map =
    view.selection?.kind === "map" ? shot.document?.maps.find((m) => m.name === view.selection!.name) : undefined;
  const named = view.selection?.kind === "falloff" ? view.selection.name : map?.reach.use;
  const falloff =
    map && !map.reach.use
      ? { layers: map.reach.layers ?? [] }
      : named
        ? shot.document?.falloffs.find((f) => f.name === named)
        : undefined;
  for (const [k, layer] of ((falloff?.layers ?? []) as Layer[]).entries())
    out.push({
      key: `falloff#${k}`,
      layer,
      color: "var(--accent)",
      chosen: true,
      sliced: k === Math.min(view.layer, falloff!.layers.length - 1),
      stood: null,
    });
  return out;
}

/** What the chosen field would do to the pieces: arrows from their middles. */
function drawArrowsNow(): void {
  const s = stage.value!;
  const pulls = survey.result?.arrows ?? [];
  const on = !inTake.value && view.arrows && view.selection?.kind === "field" && pulls.length === s.batch.count;
  const drawn = on
    ? drawArrows(pulls, (p) => [0, 1, 2].map((c) => s.batch.values[p * 12 + c]!) as Vec, 0.18 * size.value)
    : null;
  s.arrows.set(drawn && drawn.ends.length ? drawn.ends : null, drawn?.colors);
}

function showFields(): void {
  stage.value?.setReaches(reaches());
  stage.value?.showHeld(!inTake.value && (view.step === "drive" || view.step === "bind"));
  stage.value?.applyTheme();
  if (stage.value) drawArrowsNow();
  placeHandles();
  placeLabels();
}

/** The thing a batch piece belongs to, and its number within a copy. */
function locate(piece: number): { thing: Shown; index: number } | null {
  const s = stage.value;
  if (!s || piece < 0 || piece >= s.batch.count) return null;
  const b = s.batch.bodyOf(piece);
  const thing = shown.value[b];
  return thing ? { thing, index: (piece - s.batch.first[b]!) % s.batch.perCopy(b) } : null;
}

/**
 * A click while a tie is being placed: its point on a body; of a string then the other end, on a body or on the ground.
 */
function placeTie(hit: { thing: Shown; index: number; piece: number } | null, at: { x: number; y: number }): void {
  const placing = view.placing!;
  const s = stage.value!;
  const { origin, along } = s.ray(at.x, at.y);
  let point: Vec | null = null;
  if (hit) {
    const copy =
      hit.thing.copies[
        Math.floor(
          (hit.piece - s.batch.first[s.batch.names.indexOf(hit.thing.name)]!) / pieceFigures(hit.thing.packed).count,
        )
      ]!;
    point = hitPiece(origin, along, hit.thing, copy, hit.index);
  }
  const ground = shot.document!.ground.height!;
  if (!hit && placing.point && along[1] < -1e-6)
    point = origin.map((x, k) => x + ((ground - origin[1]) / along[1]) * along[k]!) as Vec;
  if (hit?.thing.group)
    return void (view.placing = { ...placing, note: `${hit.thing.name} is a group, whose members cannot be tied. ` });
  if (!point || (!hit && !placing.point)) return;
  const clean = point.map(tidy) as Vec;
  if (placing.kind === "string" && !placing.point) {
    view.placing = { kind: placing.kind, body: hit!.thing.name, point: clean, note: "" };
    return;
  }
  const name = freeName(
    placing.kind,
    shot.ties.map((t) => t.name),
  );
  const to = placing.point && hit && hit.thing.name !== placing.body ? hit.thing.name : null;
  const tie = newTie(
    placing.kind,
    name,
    placing.body ?? hit!.thing.name,
    placing.point ?? clean,
    to,
    placing.point ? clean : null,
  );
  view.placing = null;
  shot.edit(`add ${name}`, (d) => d.ties.push(tie));
  view.select({ kind: "tie", name });
}

function onPick(piece: number, together: boolean, at: { x: number; y: number }): void {
  const hit = locate(piece);
  if (view.placing) return placeTie(hit && { ...hit, piece }, at);
  if (!hit) {
    if (!together) view.select(null);
    return;
  }
  const { thing, index } = hit;
  const many = thing.packed.volume!.length > 1;
  if (together && many && view.selection?.name === thing.name) {
    const set = new Set(view.picked.length ? view.picked : view.piece ? [view.piece.index] : []);
    if (!set.delete(index)) set.add(index);
    view.picked = [...set].sort((a, b) => a - b);
    view.piece = null;
    return;
  }
  view.select({ kind: thing.group ? "group" : "body", name: thing.name });
  view.picked = many ? [index] : [];
  view.piece = many ? { body: thing.name, index } : null;
}

/** All pieces of the chosen body whose middle lies in a box of the screen. */
function onBox(area: { x: number; y: number; w: number; h: number }, done: boolean): void {
  box.value = done ? null : area;
  const s = stage.value!;
  const thing = chosenThing.value ?? (shown.value.length === 1 ? shown.value[0] : undefined);
  if (!done || !thing) return;
  if (view.selection?.name !== thing.name) view.select({ kind: thing.group ? "group" : "body", name: thing.name });
  const b = s.batch.names.indexOf(thing.name);
  const inside = new Set<number>();
  for (let p = s.batch.first[b]!; p < s.batch.first[b + 1]!; p++) {
    const v = s.batch.values;
    const at = s.project(v[p * 12]!, v[p * 12 + 1]!, v[p * 12 + 2]!);
    if (at && at.x >= area.x && at.x <= area.x + area.w && at.y >= area.y && at.y <= area.y + area.h)
      inside.add((p - s.batch.first[b]!) % s.batch.perCopy(b));
  }
  view.piece = null;
  view.picked = [...inside].sort((x, y) => x - y);
}

function placeLabels(): void {
  const s = stage.value;
  if (!s) return;
  const on = !inTake.value && view.step === "drive";
  labels.value = !on
    ? []
    : shot.fields
        .filter((f) => f.on)
        .flatMap((f) => {
          const shape = layersOf(f, shot.document).find((l) => "center" in l.shape)?.shape as unknown as
            { center: Vec; core?: number | number[]; edge?: number; height?: number } | undefined;
          const stood = survey.result?.stands[f.name] as Reach["stood"];
          let c = shape?.center ?? ([0, 0, 0] as Vec);
          if (stood)
            c = [0, 1, 2].map(
              (i) => stood.shift[i]! + [0, 1, 2].reduce((sum, j) => sum + stood.turn[i * 3 + j]! * c[j]!, 0),
            ) as Vec;
          const up = !shape
            ? 0.4
            : Array.isArray(shape.core)
              ? shape.core[1]! / 2 + (shape.edge ?? 0)
              : Math.max((shape.core ?? 0.4) + (shape.edge ?? 0), (shape.height ?? 0) / 2 + (shape.edge ?? 0));
          const at = s.project(c[0], c[1] + up, c[2]);
          const t = survey.totals(f.name);
          const text = !t.known
            ? "counting"
            : f.effect.kind === "anchor"
              ? `holds ${t.pieces}`
              : f.effect.kind === "strain"
                ? `breaks ${t.breaks} of ${t.bonds}`
                : `reaches ${t.pieces}`;
          return at
            ? [
                {
                  name: f.name,
                  text,
                  x: at.x,
                  y: at.y - 8,
                  width: 7 * (f.name.length + text.length) + 20,
                  color: FAMILY_COLOR[FAMILY[f.effect.kind]],
                  chosen: view.selection?.name === f.name,
                },
              ]
            : [];
        });
  for (const [k, l] of labels.value.entries())
    // one above the other where they would cover each other
    while (
      labels.value.slice(0, k).some((o) => Math.abs(o.y - l.y) < 19 && Math.abs(o.x - l.x) < (o.width + l.width) / 2)
    )
      l.y -= 19;
  tieTags.value =
    inTake.value || (view.step !== "bind" && view.selection?.kind !== "tie")
      ? []
      : ends.flatMap((t) =>
          (t.kind === "string" ? ([0, 1] as const) : ([0] as const)).flatMap((end) => {
            const p = s.project(...t.ends[end]);
            return p
              ? [
                  {
                    name: t.name,
                    kind: t.kind,
                    end,
                    x: p.x,
                    y: p.y,
                    chosen: view.selection?.kind === "tie" && view.selection.name === t.name,
                  },
                ]
              : [];
          }),
        );
  placeCard();
}

function chooseTie(name: string, end: 0 | 1): void {
  view.select({ kind: "tie", name });
  view.tieEnd = end;
}

/** The piece under the pointer, or the one picked, says its numbers where it is. */
function placeCard(): void {
  const s = stage.value;
  const b = view.piece && s ? s.batch.names.indexOf(view.piece.body) : -1;
  const piece = hovered.value >= 0 ? hovered.value : b >= 0 && s ? s.batch.first[b]! + view.piece!.index : -1;
  const hit = locate(piece);
  if (!s || !hit) {
    card.value = null;
    return;
  }
  const v = s.batch.values;
  const at = s.project(v[piece * 12]!, v[piece * 12 + 1]!, v[piece * 12 + 2]!);
  card.value = at ? { x: at.x, y: at.y, lines: cardLines(hit.thing, hit.index, piece, v[piece * 12 + 3]!) } : null;
}

function cardLines(thing: Shown, index: number, piece: number, state: number): string[] {
  const { packed, body, name } = thing;
  const figures = pieceFigures(packed);
  const at = stage.value!.batch.names.indexOf(name);
  const copy = thing.copies[Math.floor((piece - stage.value!.batch.first[at]!) / figures.count)];
  const volume = packed.volume![index]! * (copy?.size ?? 1) ** 3;
  const density = pieces.built.get(name)?.figures.density ?? body.material.density!;
  const lines = [
    `${figures.count > 1 ? `piece ${index}${figures.tiers > 1 ? ` · tier ${figures.tier[index]}` : ""}` : name} · ${showNumber(Math.cbrt(volume), 2)} m · ${showMass(volume * density)}`,
  ];
  const ends = packed.bond_piece!;
  const own: number[] = [];
  for (let k = 0; k < ends.length / 2; k++) if (ends[k * 2] === index || ends[k * 2 + 1] === index) own.push(k);
  const strength = pieces.strengths.get(name);
  if (body.bonds && own.length) {
    const total =
      strength && !inTake.value
        ? own.reduce((sum, k) => sum + (strength[k] ?? 0), 0)
        : own.reduce(
            (sum, k) => sum + body.bonds!.strength! * (body.bonds!.unit === "kN" ? 1 : packed.bond_area![k]!),
            0,
          );
    lines.push(`${own.length} bonds · ${showNumber(total, 3)} kN in all`);
  } else if (figures.count > 1) lines.push(`${own.length} neighbours, no bonds`);
  const chosen = view.selection;
  if (
    !inTake.value &&
    chosen?.kind === "field" &&
    survey.result?.values[chosen.name]?.length === stage.value!.batch.count
  ) {
    const pull = survey.result.arrows[piece];
    const over = shot.fields.find((f) => f.name === chosen.name)!;
    lines.push(
      `${chosen.name}: reach ${showNumber(survey.result.values[chosen.name]![piece]!, 2)}${pull ? ` · ${showNumber(Math.hypot(...pull), 3)} ${arrowUnit(over)}` : ""}`,
    );
  }
  if (!inTake.value && chosen?.kind === "map" && survey.result?.maps[chosen.name])
    lines.push(`${chosen.name}: ${showNumber(survey.result.maps[chosen.name]!.values[piece] ?? 0, 2)}`);
  if (inTake.value && view.colorBy === "map" && takes.frames?.maps[`map/${view.map}`])
    lines.push(
      `${view.map}: ${showNumber(takes.frames.maps[`map/${view.map}`]![Math.min(view.frame, takes.frames.count - 1) * takes.frames.pieces + piece]!, 2)}`,
    );
  if (inTake.value) {
    lines.push(takes.stateNames[state] ?? "");
    if (view.colorBy === "fields" && takes.frames && takes.document)
      lines.push(
        actedOn(takes.frames, takes.document, Math.min(view.frame, takes.frames.count - 1), piece).join(", ") ||
          "no field acts on it",
      );
    if (view.colorBy === "weight" && takes.frames?.maps.load)
      lines.push(
        `weight takes ${showNumber(100 * takes.frames.maps.load[Math.min(view.frame, takes.frames.count - 1) * takes.frames.pieces + piece]!, 2)} % of its worst bond`,
      );
    const broke = takes.events.filter(
      (e) => e.kind === "bond_broken" && e.frame <= view.frame && (e.pieces?.[0] === piece || e.pieces?.[1] === piece),
    );
    const last = broke.at(-1);
    if (last) {
      const why = last.causes?.[0];
      lines.push(
        `${last.load!.toFixed(0)} kN of ${last.strength!.toFixed(0)} · ${causeWords(why, name)} at f ${last.frame}`,
      );
    }
  }
  return lines;
}

function onCamera(angle: number, now: number): void {
  azimuth.value = angle;
  metresPerPixel.value = now;
  placeLabels();
}

function onDrop(event: DragEvent): void {
  dropping.value = false;
  emit("files", [...(event.dataTransfer?.files ?? [])]);
}

const building = computed(() =>
  [...pieces.progress.entries()].map(([name, p]) => ({ name, share: p.share, left: p.left })),
);

onMounted(() => {
  stage.value = new Stage(host.value!, {
    onPick,
    onMove,
    onCamera,
    onBox,
    onHover: (p) => {
      hovered.value = p;
      placeCard();
    },
  });
  stage.value.applyTheme();
  fit(false);
  repaint();
  showFields();
});
onBeforeUnmount(() => stage.value?.dispose());

watch(
  [
    shown,
    () => shot.document,
    () => survey.result,
    () => view.colorBy,
    () => view.map,
    () => view.theme,
    () => view.selection,
    () => view.piece,
    () => view.step,
    () => view.bonds,
    () => view.marks,
    inTake,
    () => view.shapes,
    () => shot.ties,
    () => pieces.shapes.get(chosenThing.value?.name ?? ""),
    () => pieces.strengths.get(chosenThing.value?.name ?? ""),
    () => pieces.weights.get(chosenThing.value?.name ?? ""),
  ],
  () => {
    repaint();
    cutOpen();
    showFields();
  },
);
watch(
  [() => view.explode, () => view.picked],
  () => {
    repaint();
    placeCard();
  },
  { deep: true },
);
watch([() => view.section], cutOpen, { deep: true });
watch([() => view.wire, shown], () => {
  stage.value?.batch.showWire(view.wire);
  stage.value?.invalidate();
});
watch(
  [() => view.step],
  () => {
    hovered.value = -1;
    view.placing = null;
    if (stage.value) stage.value.hovering = HOVERS.includes(view.step);
  },
  { immediate: true },
);
watch([stage], () => {
  if (stage.value) stage.value.hovering = HOVERS.includes(view.step);
});
watch(
  [chosenThing, () => view.step, () => view.bonds, () => view.shapes, () => view.colorBy, () => shot.document],
  () => {
    const thing = chosenThing.value;
    if (!thing || inTake.value) return;
    if (view.step === "bind" || view.bonds !== "hidden" || view.colorBy === "strength")
      void pieces.loadStrengths(thing);
    if (view.shapes) void pieces.loadShapes(thing);
    if (view.bonds === "weight") void pieces.loadWeights(thing, shot.document!);
  },
);
watch([() => view.frame, () => takes.frames?.count], () => {
  if (inTake.value) {
    repaint();
    placeCard();
  }
});
watch([() => view.layer, () => view.arrows], showFields);
watch([() => view.handle, () => view.tieEnd, () => view.placing], placeHandles);
watch([() => view.theme, () => shot.document?.ground], () => {
  stage.value?.applyTheme();
  showFields();
});
defineExpose({ fit: () => fit(true) });
</script>

<template>
  <div
    class="view"
    :class="{ dropping }"
    @dragover.prevent="dropping = true"
    @dragleave="dropping = false"
    @drop.prevent="onDrop">
    <div ref="host" class="host" data-testid="view" />
    <ViewLegend :in-take="inTake" :deepest="deepest" />
    <div
      v-for="l in labels"
      :key="l.name"
      class="tag"
      :class="{ chosen: l.chosen }"
      :style="{ left: `${l.x}px`, top: `${l.y}px`, color: l.color }">
      {{ l.name }}
      <span>{{ l.text }}</span>
    </div>
    <button
      v-for="t in tieTags"
      :key="t.name + t.end"
      class="tie"
      :class="{ through: view.placing, chosen: t.chosen, end: t.chosen && view.tieEnd === t.end }"
      :style="{ left: `${t.x}px`, top: `${t.y}px` }"
      :title="`${t.name}: ${t.kind}`"
      :data-testid="`tie-${t.name}`"
      @click="chooseTie(t.name, t.end)">
      <Glyph :name="t.kind" :size="13" />
    </button>
    <p v-if="view.placing" class="placing" role="status">
      {{ view.placing.note
      }}{{
        view.placing.point
          ? "Click where the string's other end goes: a body, or the ground"
          : `Click on a body where the ${view.placing.kind} goes`
      }}
      <button class="link" @click="view.placing = null">not now</button>
    </p>
    <div v-if="card" class="card figures" data-testid="piece-card" :style="{ left: `${card.x}px`, top: `${card.y}px` }">
      <p v-for="line in card.lines" :key="line">{{ line }}</p>
    </div>
    <div
      v-if="box"
      class="box"
      :style="{ left: `${box.x}px`, top: `${box.y}px`, width: `${box.w}px`, height: `${box.h}px` }" />
    <ViewCorner :azimuth="azimuth" :metres-per-pixel="metresPerPixel" @fit="fit(true)" />
    <div v-if="building.length" class="busy" data-testid="building">
      <p v-for="b in building" :key="b.name">
        <span>building {{ b.name }}</span>
        <i><u :style="{ width: `${b.share * 100}%` }" /></i>
        <b class="figures">{{ b.left === null ? "…" : `${Math.max(1, Math.round(b.left))} s left` }}</b>
        <button class="link" @click="pieces.cancel(b.name)">stop</button>
      </p>
    </div>
    <div v-if="dropping" class="dropnote">Drop OBJ, STL, PLY, GLB or USD</div>
    <slot />
  </div>
</template>

<style scoped>
.view {
  position: relative;
  overflow: hidden;
  background: radial-gradient(120% 90% at 50% 20%, var(--view-top), var(--view-bottom));
  min-width: 0;
  min-height: 0;
}
.host {
  position: absolute;
  inset: 0;
}
.host :deep(canvas) {
  display: block;
  outline: none;
  touch-action: none;
}
.tag {
  background: color-mix(in srgb, var(--basalt-0) 72%, transparent);
  border-radius: 10px;
  padding: 1px 8px;
  position: absolute;
  transform: translate(-50%, -100%);
  font-weight: 600;
  font-size: 12px;
  pointer-events: none;
  white-space: nowrap;
  text-shadow:
    0 1px 3px var(--basalt-0),
    0 0 2px var(--basalt-0);
}
.tag span {
  font-weight: 400;
}
.tag:not(.chosen) {
  opacity: 0.8;
}
.tie {
  position: absolute;
  transform: translate(-50%, -50%);
  width: 22px;
  height: 22px;
  border-radius: 50%;
  border: 1px solid var(--lichen);
  background: color-mix(in srgb, var(--basalt-0) 78%, transparent);
  color: var(--lichen);
  display: grid;
  place-items: center;
  padding: 0;
  cursor: pointer;
}
.tie.through {
  pointer-events: none;
  opacity: 0.5;
}
.tie.chosen {
  border-color: var(--accent);
  color: var(--accent);
}
.tie.end {
  transform: translate(10px, -30px);
}
.placing {
  pointer-events: none;
  position: absolute;
  left: 50%;
  bottom: 46px;
  transform: translateX(-50%);
  background: var(--basalt-1);
  border: 1px solid var(--accent);
  border-radius: var(--radius);
  padding: 6px 14px;
  white-space: nowrap;
}
.placing .link {
  pointer-events: auto;
}
.card {
  position: absolute;
  transform: translate(14px, calc(-100% - 10px));
  background: var(--basalt-0);
  border: 1px solid var(--line-strong);
  border-radius: var(--radius);
  padding: 5px 9px;
  pointer-events: none;
  white-space: nowrap;
}
.box {
  position: absolute;
  border: 1px solid var(--accent);
  background: color-mix(in srgb, var(--accent) 12%, transparent);
  pointer-events: none;
}
.busy {
  position: absolute;
  left: 50%;
  top: 12px;
  transform: translateX(-50%);
  background: var(--basalt-1);
  border: 1px solid var(--line-strong);
  padding: 5px 14px;
  border-radius: var(--radius);
  color: var(--soft);
}
.busy p {
  display: grid;
  grid-template-columns: auto 120px 74px auto;
  align-items: center;
  gap: 10px;
}
.busy i {
  height: 5px;
  border-radius: 3px;
  background: var(--basalt-4);
  overflow: hidden;
  display: block;
}
.busy u {
  display: block;
  height: 100%;
  background: var(--accent);
}
.busy b {
  font-weight: 400;
  text-align: right;
}
.dropping {
  outline: 2px dashed var(--accent);
  outline-offset: -8px;
}
.dropnote {
  position: absolute;
  inset: 0;
  display: grid;
  place-items: center;
  font-size: 18px;
  color: var(--accent);
  pointer-events: none;
}
</style>
