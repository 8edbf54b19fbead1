/** What can be set of each effect, falloff layer, cue and travel: one row of an inspector each. */
import type { FieldItem, Layer } from "../api/types";
import type { Thing } from "../stores/shot";
import { carriers, surfaces } from "./companions";
import { told } from "./words";

export type EffectKind = FieldItem["effect"]["kind"];
export type LayerKind = Layer["shape"]["kind"];
export type CueKind = FieldItem["cue"]["kind"];
export type Family = "holds" | "breaks" | "moves" | "ends";

export interface Spec {
  key: string;
  label: string;
  kind?:
    | "number"
    | "vector"
    | "direction"
    | "turn"
    | "choice"
    | "body"
    | "text"
    | "switch"
    | "points"
    | "times"
    | "bodies";
  unit?: string;
  min?: number;
  max?: number;
  whole?: boolean;
  initial?: number;
  /** shown in degrees, kept in radians */
  angle?: boolean;
  marks?: string;
  options?: readonly (readonly [string, string, string?])[];
  /** an optional number: what it becomes when switched on, and the word for having none */
  optional?: { on: number; none: string };
  hint?: string;
  /** shown only where this holds of the whole */
  when?: (of: Record<string, unknown>) => boolean;
  /** not a number that channels can set */
  fixed?: boolean;
  /** which bodies will do */
  among?: (things: readonly Thing[]) => readonly Thing[];
}

const n = (key: string, label: string, unit = "", more: Partial<Spec> = {}): Spec => ({ key, label, unit, ...more });
const LENGTH = { min: 0 };
const direction = (key: string, label: string): Spec => ({ key, label, kind: "direction" });
const choice = (key: string, label: string, options: Spec["options"], more: Partial<Spec> = {}): Spec => ({
  key,
  label,
  kind: "choice",
  options,
  ...more,
});

export interface EffectSpec {
  family: Family;
  why: string;
  specs: Spec[];
  make: Record<string, unknown>;
}

const NOISE = n("noise", "differs by", "", {
  min: 0,
  max: 1,
  initial: 0,
  hint: "share that differs from piece to piece",
});
const SEED = n("seed", "seed", "", { min: 0, whole: true, fixed: true });

/** Numbers of a body that can be keyed. */
export const BODY_SPECS: Spec[] = [
  n("gravity", "gravity", "×", {
    min: -10,
    max: 10,
    initial: 1,
    hint: "its share of the shot's gravity: 0 floats, negative rises",
  }),
];
export const MATERIAL_SPECS: Spec[] = told("Material", [
  n("friction", "friction", "", { min: 0, max: 5, initial: 0.6 }),
  n("bounce", "bounce", "", {
    min: 0,
    max: 1,
    initial: 0.1,
    hint: "share of the speed kept by a hit; above 1 would make energy",
  }),
  n("rolling", "rolling", "", {
    min: 0,
    max: 1,
    initial: 0.01,
    hint: "rolling resistance: share of the contact's lever arm",
  }),
]);
/** of what deforms, which neither bounces nor rolls as a piece does */
export const DEFORMING_MATERIAL_SPECS = MATERIAL_SPECS.filter((s) => s.key === "friction");

const SMOOTH = n("smooth", "rounded", "×", { min: 0, max: 3, whole: true, initial: 0 });
/** how what deforms is drawn, beside its colour */
export const EYE_SPECS: Record<"cloth" | "soft" | "rope", Spec[]> = {
  cloth: told("Look", [
    n("thickness", "seen as", "m thick", { min: 0, max: 10, initial: 0 }),
    n("side", "to its side", "", { min: -1, max: 1, initial: 0 }),
    SMOOTH,
  ]),
  soft: told("Look", [SMOOTH]),
  rope: told("Look", [n("sides", "sides", "", { min: 3, max: 32, whole: true, initial: 8 })]),
};

export const EFFECTS: Record<EffectKind, EffectSpec> = {
  anchor: {
    family: "holds",
    why: "holds pieces from the start",
    make: { cut: 0.5, reinforce: 4, hold: "fixed", carrier: null },
    specs: [
      choice("hold", "held", [
        ["fixed", "fixed", "for good"],
        ["carried", "carried", "by an animated body"],
        ["touch", "asleep", "until something touches it"],
      ]),
      { key: "carrier", label: "carried by", kind: "body", among: carriers, when: (e) => e.hold === "carried" },
      n("cut", "held from", "", {
        min: 0.01,
        max: 1,
        initial: 0.5,
        fixed: true,
        hint: "held where the reach is at least this",
      }),
      n("reinforce", "reinforce", "×", {
        min: 0,
        max: 1000,
        initial: 4,
        fixed: true,
        hint: "bonds in the softer rest are 1 + reinforce × reach times as strong",
      }),
    ],
  },
  strain: {
    family: "breaks",
    why: "loads bonds: a blow, or wear",
    make: { mode: "blow", load: 500, burst: 0, cap: null },
    specs: [
      choice("mode", "as", [
        ["blow", "blow", "all at once, each time the cue fires"],
        ["wear", "wear", "each firing is a tick that stays"],
      ]),
      n("load", "load", "kN", { min: 0, max: 1e6, initial: 500 }),
      n("burst", "burst with it", "m/s", { min: -200, max: 200, initial: 0, when: (e) => e.mode === "blow" }),
      n("cap", "at most", "kN", {
        min: 1e-6,
        optional: { on: 1000, none: "no end" },
        when: (e) => e.mode === "wear",
        fixed: true,
      }),
    ],
  },
  kill: {
    family: "ends",
    why: "ends what is slow or old",
    make: { what: "rest", slower: 0.2, time: 0.5, age: null },
    specs: [
      choice("what", "to", [
        ["rest", "rest", "until touched"],
        ["freeze", "freeze", "for good"],
        ["remove", "remove", "taken out"],
      ]),
      n("slower", "slower than", "m/s", { min: 0, initial: 0.2 }),
      n("time", "for", "s", { min: 0, initial: 0.5 }),
      n("age", "or after", "s", { min: 0.001, optional: { on: 5, none: "never" }, fixed: true }),
    ],
  },
  vortex: {
    family: "moves",
    why: "swirl, pull and lift about an axis",
    make: { axis: [0, 1, 0], swirl: 8, core: 1, grip: 4, inward: 6, lift: 4, contain: 0, ring: 2 },
    specs: [
      direction("axis", "axis"),
      n("swirl", "swirl", "m/s", { initial: 8, hint: "speed round the axis at the core; 0 pulls only" }),
      n("core", "core", "m", { min: 0.001, hint: "up to here it turns like a solid; beyond, speed falls as 1 / r" }),
      n("grip", "grip", "1/s", { min: 0, initial: 4 }),
      n("inward", "inward", "m/s²", { initial: 6, when: (e) => !e.contain }),
      n("lift", "lift", "m/s²", { initial: 4, when: (e) => !e.contain }),
      n("contain", "contain", "1/s", {
        min: 0,
        initial: 0,
        hint: "steers what is caught to the ring, its weight borne",
      }),
      n("ring", "ring", "m", { min: 0, when: (e) => (e.contain as number) > 0 }),
    ],
  },
  wind: {
    family: "moves",
    why: "drag and lift of moving air",
    make: {
      direction: [1, 0, 0],
      speed: 15,
      gusts: 0,
      gust_time: 1.5,
      gust_size: 6,
      density: 1.2,
      drag: 1.1,
      lift: 0.5,
      shelter: 0,
      seed: 1,
    },
    specs: [
      direction("direction", "direction"),
      n("speed", "speed", "m/s", { initial: 15 }),
      n("gusts", "gusts", "×", { min: 0, max: 3, initial: 0, hint: "share of the speed that comes and goes" }),
      n("gust_time", "gust lasts", "s", { min: 0.01, when: (e) => (e.gusts as number) > 0 }),
      n("gust_size", "gust width", "m", { min: 0.01, when: (e) => (e.gusts as number) > 0 }),
      n("density", "air", "kg/m³", { min: 0, initial: 1.2 }),
      n("drag", "drag", "", { min: 0, initial: 1.1, hint: "coefficient of a face square to the wind" }),
      n("lift", "lift", "", { min: 0, max: 1, initial: 0.5, hint: "share of the pressure along the faces' normals" }),
      n("shelter", "shelter", "m", {
        min: 0,
        initial: 0,
        hint: "how far behind what stands before it the wind is itself again; 0: nothing shelters. Its arrows leave it out",
      }),
      SEED,
    ],
  },
  attractor: {
    family: "moves",
    why: "pulls to a point, line or surface",
    make: {
      to: "point",
      body: null,
      axis: [0, 1, 0],
      strength: 10,
      unit: "m/s2",
      law: "constant",
      near: 0.1,
      top_speed: null,
      settle: 0,
    },
    specs: [
      choice("to", "to", [
        ["point", "point"],
        ["line", "line"],
        ["surface", "surface"],
      ]),
      { key: "body", label: "of", kind: "body", among: surfaces, when: (e) => e.to === "surface" },
      { ...direction("axis", "line along"), when: (e) => e.to === "line" },
      n("strength", "strength", "", { initial: 10, hint: "at 1 m; negative repels" }),
      choice("unit", "in", [
        ["m/s2", "m/s²", "the same for light and heavy"],
        ["N", "N", "heavy things are pulled less"],
      ]),
      choice("law", "with distance", [
        ["constant", "even"],
        ["linear", "grows"],
        ["inverse", "1 / d"],
        ["inverse-square", "1 / d²"],
      ]),
      n("near", "even within", "m", { min: 0.0001, initial: 0.1 }),
      n("top_speed", "top speed", "m/s", { min: 0.001, optional: { on: 5, none: "none" }, fixed: true }),
      n("settle", "settle in", "m", {
        min: 0,
        initial: 0,
        hint: "inside this distance things arrive instead of swinging through",
      }),
    ],
  },
  burst: {
    family: "moves",
    why: "throws outwards",
    make: { speed: 5, unit: "m/s", noise: 0, seed: 1 },
    specs: [
      n("speed", "speed", "", { initial: 5, hint: "a blow gives m/s (or N s), over a span m/s² (or N)" }),
      choice("unit", "in", [
        ["m/s", "m/s", "the same for light and heavy"],
        ["N", "N", "heavy things go slower"],
      ]),
      NOISE,
      SEED,
    ],
  },
  push: {
    family: "moves",
    why: "along a direction",
    make: { direction: [1, 0, 0], amount: 5, unit: "m/s", noise: 0, seed: 1 },
    specs: [
      direction("direction", "direction"),
      n("amount", "amount", "", { initial: 5, hint: "a blow gives m/s (or N s), over a span m/s² (or N)" }),
      choice("unit", "in", [
        ["m/s", "m/s"],
        ["N", "N"],
      ]),
      NOISE,
      SEED,
    ],
  },
  spin: {
    family: "moves",
    why: "turns things about themselves",
    make: { axis: [0, 1, 0], amount: 3, unit: "rad/s", noise: 0, seed: 1 },
    specs: [
      direction("axis", "axis"),
      n("amount", "amount", "", { initial: 3, hint: "a blow gives rad/s (or N m s), over a span rad/s² (or N m)" }),
      choice("unit", "in", [
        ["rad/s", "rad/s"],
        ["N m", "N m"],
      ]),
      NOISE,
      SEED,
    ],
  },
  turbulence: {
    family: "moves",
    why: "whirls without sources",
    make: { strength: 5, size: 2, rate: 0.5, seed: 1 },
    specs: [
      n("strength", "strength", "m/s²", { initial: 5 }),
      n("size", "whirls", "m", { min: 0.001 }),
      n("rate", "changes", "1/s", { min: 0 }),
      SEED,
    ],
  },
  drag: {
    family: "moves",
    why: "slows what moves",
    make: { amount: 1, turning: 1 },
    specs: [
      n("amount", "speed", "1/s", { min: 0, initial: 1, hint: "share lost each second, compounding" }),
      n("turning", "spin", "1/s", { min: 0, initial: 1 }),
    ],
  },
  gravity: {
    family: "moves",
    why: "another gravity here",
    make: { acceleration: [0, 9.81, 0] },
    specs: [{ key: "acceleration", label: "adds", kind: "vector", unit: "m/s²" }],
  },
  displace: {
    family: "moves",
    why: "shifts what it passes",
    make: { offset: [0, 0.5, 0], axis: [0, 1, 0], angle: 0, wakes: true },
    specs: [
      { key: "offset", label: "offset", kind: "vector", unit: "m" },
      direction("axis", "turns about"),
      n("angle", "by", "°", { angle: true }),
      { key: "wakes", label: "frees", kind: "switch", hint: "frees what waits to be touched" },
    ],
  },
};

const center: Spec = { key: "center", label: "centre", kind: "vector", unit: "m" };
const rotation: Spec = { key: "rotation", label: "rotation", kind: "turn" };
const edge = n("edge", "edge width", "m", LENGTH);
const core = n("core", "core radius", "m", LENGTH);
const ride: Spec = {
  key: "ride",
  label: "rides on",
  kind: "body",
  hint: "goes where the nearest piece of the body goes",
};

export interface LayerSpec {
  word: string;
  group: "shape" | "source" | "time";
  why: string;
  specs: Spec[];
  make: (center: [number, number, number], size: number) => Record<string, unknown>;
}

const round = (x: number): number => Number(x.toPrecision(2));

export const LAYERS: Record<LayerKind, LayerSpec> = {
  sphere: {
    word: "sphere",
    group: "shape",
    why: "round a point",
    specs: [center, core, edge, ride],
    make: (c, s) => ({ center: c, core: round(s * 0.2), edge: round(s * 0.25), ride: null }),
  },
  box: {
    word: "box",
    group: "shape",
    why: "a box",
    specs: [
      center,
      rotation,
      { key: "core", label: "core size", kind: "vector", unit: "m", marks: "whd", min: 0.0001 },
      edge,
      ride,
    ],
    make: (c, s) => ({
      center: c,
      rotation: [0, 0, 0, 1],
      core: [round(s * 0.5), round(s * 0.5), round(s * 0.5)],
      edge: round(s * 0.1),
      ride: null,
    }),
  },
  plane: {
    word: "plane",
    group: "shape",
    why: "all behind a plane",
    specs: [center, direction("normal", "normal"), edge, ride],
    make: (c, s) => ({ center: c, normal: [0, 1, 0], edge: round(s * 0.25), ride: null }),
  },
  cylinder: {
    word: "cylinder",
    group: "shape",
    why: "round an axis",
    specs: [center, rotation, core, n("height", "height", "m", LENGTH), edge, ride],
    make: (c, s) => ({
      center: c,
      rotation: [0, 0, 0, 1],
      core: round(s * 0.3),
      height: round(s),
      edge: round(s * 0.2),
      ride: null,
    }),
  },
  capsule: {
    word: "capsule",
    group: "shape",
    why: "round a line",
    specs: [center, rotation, core, n("height", "line", "m", LENGTH), edge, ride],
    make: (c, s) => ({
      center: c,
      rotation: [0, 0, 0, 1],
      core: round(s * 0.15),
      height: round(s),
      edge: round(s * 0.2),
      ride: null,
    }),
  },
  cone: {
    word: "cone",
    group: "shape",
    why: "tip up",
    specs: [
      center,
      rotation,
      n("core", "foot radius", "m", { min: 0.0001 }),
      n("height", "height", "m", { min: 0.0001 }),
      edge,
      ride,
    ],
    make: (c, s) => ({
      center: c,
      rotation: [0, 0, 0, 1],
      core: round(s * 0.4),
      height: round(s),
      edge: round(s * 0.2),
      ride: null,
    }),
  },
  torus: {
    word: "torus",
    group: "shape",
    why: "a ring",
    specs: [center, rotation, n("ring", "ring radius", "m", LENGTH), n("core", "tube radius", "m", LENGTH), edge, ride],
    make: (c, s) => ({
      center: c,
      rotation: [0, 0, 0, 1],
      ring: round(s * 0.5),
      core: round(s * 0.12),
      edge: round(s * 0.12),
      ride: null,
    }),
  },
  everywhere: { word: "everywhere", group: "shape", why: "the whole space", specs: [], make: () => ({}) },
  mesh: {
    word: "mesh",
    group: "source",
    why: "near a body's surface",
    specs: [
      { key: "body", label: "body", kind: "body", among: surfaces },
      choice("of", "near its", [
        ["surface", "surface"],
        ["vertices", "vertices"],
      ]),
      n("core", "core", "m", LENGTH),
      edge,
    ],
    make: (_, s) => ({ of: "surface", core: 0, edge: round(s * 0.2) }),
  },
  pieces: {
    word: "pieces",
    group: "source",
    why: "near a body's pieces, moving too",
    specs: [{ key: "body", label: "body", kind: "body" }, n("core", "core", "m", LENGTH), edge],
    make: (_, s) => ({ core: 0, edge: round(s * 0.2) }),
  },
  noise: {
    word: "noise",
    group: "source",
    why: "smooth noise",
    specs: [
      n("size", "grain", "m", { min: 0.0001 }),
      n("rate", "changes", "1/s", { min: 0 }),
      n("contrast", "contrast", "", { min: 0, max: 20, initial: 1 }),
      SEED,
    ],
    make: (_, s) => ({ size: round(s * 0.2), rate: 0, contrast: 1, seed: 1 }),
  },
  image: {
    word: "picture",
    group: "source",
    why: "a picture's brightness",
    specs: [center, rotation, n("size.0", "width", "m", { min: 0.001 }), n("size.1", "height", "m", { min: 0.001 })],
    make: (c, s) => ({ picture: "", center: c, rotation: [0, 0, 0, 1], size: [round(s), round(s)] }),
  },
  sound: {
    word: "sound",
    group: "source",
    why: "how loud a recording is",
    specs: [n("start", "starts", "s"), n("window", "window", "s", { min: 0.001 }), n("gain", "gain", "×", { min: 0 })],
    make: () => ({ recording: "", start: 0, window: 0.05, gain: 1 }),
  },
  expression: {
    word: "formula",
    group: "source",
    why: "over what lies beneath",
    specs: [{ key: "text", label: "formula", kind: "text" }, SEED],
    make: () => ({ text: "value", seed: 1 }),
  },
  painted: {
    word: "painted",
    group: "source",
    why: "strokes of the brush, over what lies beneath",
    specs: [center, rotation],
    make: (c) => ({ center: c, rotation: [0, 0, 0, 1], strokes: [] }),
  },
  trail: {
    word: "trail",
    group: "time",
    why: "fades slowly after",
    specs: [n("rise", "rises in", "s", { min: 0 }), n("fall", "falls in", "s", { min: 0 })],
    make: () => ({ rise: 0, fall: 1 }),
  },
  delay: {
    word: "delay",
    group: "time",
    why: "what was before",
    specs: [n("by", "by", "s", { min: 0, max: 60, fixed: true })],
    make: () => ({ by: 0.5 }),
  },
  hold: { word: "hold", group: "time", why: "the most there ever was", specs: [], make: () => ({}) },
};

const T = { min: 0, max: 1e5, fixed: true };
export const CUES: Record<CueKind, { word: string; why: string; specs: Spec[]; make: Record<string, unknown> }> = {
  at: { word: "at", why: "a blow at a time", specs: [n("time", "at", "s", T)], make: { time: 1, stagger: null } },
  span: {
    word: "span",
    why: "from a time to a time",
    specs: [
      n("start", "from", "s", T),
      n("end", "to", "s", { ...T, optional: { on: 3, none: "the end" } }),
      n("ease_in", "eases in", "s", { min: 0, fixed: true }),
      n("ease_out", "eases out", "s", { min: 0, fixed: true, when: (c) => c.end !== null }),
    ],
    make: { start: 0, end: null, ease_in: 0, ease_out: 0, stagger: null },
  },
  pulse: {
    word: "pulse",
    why: "again and again",
    specs: [
      n("start", "from", "s", T),
      n("every", "every", "s", { min: 0.001, fixed: true }),
      n("count", "times", "", { min: 1, whole: true, fixed: true, optional: { on: 10, none: "on and on" } }),
      n("length", "each lasts", "s", { min: 0, fixed: true, hint: "0 is a blow" }),
    ],
    make: { start: 0, every: 0.5, count: null, length: 0, stagger: null },
  },
  impact: {
    word: "hit",
    why: "when a target is hit, at the place",
    specs: [
      n("above", "above", "kN", { min: 0, fixed: true }),
      { key: "bodies", label: "hits on", kind: "bodies" },
      n("rest", "then rests", "s", { min: 0, fixed: true }),
      n("length", "lasts", "s", { min: 0, fixed: true, hint: "0 is a blow" }),
      n("most", "at most", "×", { min: 1, whole: true, fixed: true, optional: { on: 1, none: "no end" } }),
    ],
    make: { above: 10, bodies: null, rest: 0.5, length: 0, most: null },
  },
  hand: {
    word: "times",
    why: "at times that are listed",
    specs: [{ key: "times", label: "times", kind: "times" }, n("length", "each lasts", "s", { min: 0, fixed: true })],
    make: { times: [1], length: 0 },
  },
};

export const STAGGER: Spec[] = told("Stagger", [
  n("over", "over", "s", { min: 0.001, fixed: true }),
  choice("order", "in order", [
    ["random", "random"],
    ["reach", "of reach"],
    ["direction", "along"],
  ]),
  { key: "direction", label: "along", kind: "direction", when: (s) => s.order === "direction" },
  { ...SEED, when: (s) => s.order === "random" },
]);

export const TRAVELS: Record<
  "path" | "round" | "ride",
  { word: string; specs: Spec[]; make: (center: [number, number, number]) => Record<string, unknown> }
> = {
  path: {
    word: "path",
    specs: [
      { key: "points", label: "points", kind: "points" },
      n("start", "from", "s", { min: 0, fixed: true }),
      n("time", "takes", "s", { min: 0.001, fixed: true }),
      { key: "smooth", label: "rounded", kind: "switch" },
    ],
    make: (c) => ({ points: [c, [c[0] + 4, c[1], c[2]]], start: 0, time: 5, smooth: true }),
  },
  round: {
    word: "round",
    specs: [
      center,
      { key: "body", label: "or round", kind: "body" },
      direction("axis", "axis"),
      n("rate", "turns", "1/s"),
      { key: "turning", label: "turns with it", kind: "switch" },
    ],
    make: (c) => ({ center: [c[0] + 2, c[1], c[2]], body: null, axis: [0, 1, 0], rate: 0.1, turning: true }),
  },
  ride: { word: "ride", specs: [{ key: "body", label: "on", kind: "body" }], make: () => ({}) },
};

const partOf = (kind: string, what: string): string => `${kind[0]!.toUpperCase()}${kind.slice(1)}${what}`;
for (const [kind, effect] of Object.entries(EFFECTS)) effect.specs = told(partOf(kind, "Effect"), effect.specs);
for (const [kind, layer] of Object.entries(LAYERS)) layer.specs = told(partOf(kind, "Reach"), layer.specs);
for (const [kind, cue] of Object.entries(CUES)) cue.specs = told(partOf(kind, "Cue"), cue.specs);
for (const [kind, travel] of Object.entries(TRAVELS)) travel.specs = told(partOf(kind, "Travel"), travel.specs);

/** The value at a path such as ``shape.center.1``. */
export function valueAt(of: unknown, path: string): unknown {
  return path.split(".").reduce<unknown>((now, key) => (now as Record<string, unknown> | undefined)?.[key], of);
}

/** Set the value at a path, in place. */
export function setAt(of: unknown, path: string, value: unknown): void {
  const keys = path.split(".");
  const last = keys.pop()!;
  (keys.reduce<unknown>((now, key) => (now as Record<string, unknown>)[key], of) as Record<string, unknown>)[last] =
    value;
}
