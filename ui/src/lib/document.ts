/** New parts of a shot document, and questions about it. */
import { CUES, EFFECTS, LAYERS, type EffectKind, type Family } from "./specs";
import { showNumber } from "./units";
import type {
  LoadCause,
  Body,
  FieldItem,
  Group,
  Layer,
  Layout,
  Pattern,
  ReachShape,
  Shape,
  SharedFalloff,
  ShotDocument,
  StepPattern,
  Tie,
  TieKind,
  WeightMap,
} from "../api/types";

export type { EffectKind, Family };

export const FAMILY = Object.fromEntries(Object.entries(EFFECTS).map(([kind, spec]) => [kind, spec.family])) as Record<
  EffectKind,
  Family
>;
/** Effects that act all the while their cue is on. */
export const OVER_TIME = new Set<EffectKind>([
  "kill",
  "vortex",
  "wind",
  "attractor",
  "turbulence",
  "drag",
  "gravity",
  "displace",
]);
export const FAMILY_COLOR: Record<Family, string> = {
  holds: "var(--lichen)",
  breaks: "var(--ember)",
  moves: "var(--tide)",
  ends: "var(--ash)",
};

/** A name not yet used: "box", "box 2", … */
export function freeName(wanted: string, used: string[]): string {
  if (!used.includes(wanted)) return wanted;
  const plain = wanted.replace(/ \d+$/, "");
  for (let k = 2; ; k++) if (!used.includes(`${plain} ${k}`)) return `${plain} ${k}`;
}

/** Half the height of a shape, so that a new body stands on the ground. */
export function halfHeight(shape: Shape): number {
  if (shape.kind === "box") return (shape.size?.[1] ?? 1) / 2;
  if (shape.kind === "sphere") return shape.radius ?? 0.5;
  if (shape.kind === "torus") return shape.thickness ?? 0.25;
  if (shape.kind === "sheet") return (shape.thickness ?? 0.02) / 2;
  if (shape.kind === "cylinder" || shape.kind === "tube" || shape.kind === "cone") return (shape.height ?? 1) / 2;
  return 0;
}

export const SHAPES: Record<string, () => Shape> = {
  box: () => ({ kind: "box", size: [2, 2, 2], divisions: [1, 1, 1] }),
  sphere: () => ({ kind: "sphere", radius: 1, segments: 24 }),
  cylinder: () => ({ kind: "cylinder", radius: 0.75, height: 2.5, taper: 1, segments: 32, divisions: 1 }),
  tube: () => ({ kind: "tube", radius: 1.5, wall: 0.4, height: 3, taper: 1, segments: 48, divisions: 1 }),
  cone: () => ({ kind: "cone", radius: 1, height: 2.5, segments: 32, divisions: 1 }),
  torus: () => ({ kind: "torus", radius: 1.25, thickness: 0.4, segments: 48, sides: 20 }),
  sheet: () => ({ kind: "sheet", size: [3, 3], thickness: 0.05, divisions: [8, 8] }),
  line: () => ({
    kind: "line",
    points: [
      [-1.5, 0, 0],
      [1.5, 0, 0],
    ],
    segments: 40,
  }),
};

/** The name a bake gives a member of a group. */
export const memberName = (group: string, copy: number): string => `${group}.${String(copy + 1).padStart(4, "0")}`;

export function newBody(name: string, shape: Shape, lift: number): Body {
  return {
    name,
    role: "active",
    shape,
    matter: { kind: "rigid" },
    pins: [],
    recall: [],
    weights: [],
    opening: null,
    place: { position: [0, lift, 0], rotation: [0, 0, 0, 1], angles: null, scale: [1, 1, 1] },
    material: {
      preset: "",
      density: 2400,
      mass: null,
      friction: 0.6,
      bounce: 0.1,
      rolling: 0.01,
      look: { color: "#b4b1a4", roughness: 0.85, opacity: 1, thickness: 0, side: 0, smooth: 0, sides: 8 },
    },
    steps: [],
    pattern: null,
    breaks: [],
    roughness: null,
    bonds: null,
    load_path: "off",
    gravity: 1,
    release: { kind: "start" },
    velocity: [0, 0, 0],
    spin: [0, 0, 0],
    motion: null,
    collision: "auto",
    channels: [],
  } as Body;
}

export const TIES: Record<TieKind, string> = {
  pin: "a point stays at a point",
  string: "never farther than its length",
  hinge: "turns about one axis",
  weld: "keeps place and turn",
  sewn: "all that lies near is stitched",
};

/** Kinds of ties that a shot has a use for: only what deforms is sewn. */
export function tieKinds(bodies: Body[], groups: Group[]): TieKind[] {
  const deforms = [...bodies, ...groups.map((g) => g.body)].some((b) => b.matter.kind !== "rigid");
  return (Object.keys(TIES) as TieKind[]).filter((kind) => kind !== "sewn" || deforms);
}

/** A tie at a point of a body; to: the other body, none for the world; the second point only for a string. */
export function newTie(
  kind: TieKind,
  name: string,
  body: string,
  point: [number, number, number],
  to: string | null,
  toPoint: [number, number, number] | null,
): Tie {
  const how = {
    pin: { kind: "pin" },
    string: { kind: "string", length: null },
    hinge: { kind: "hinge", axis: [0, 0, 1], limits: null, friction: 0 },
    weld: { kind: "weld" },
    sewn: { kind: "sewn", within: 0.05, reach: null },
  }[kind];
  return {
    name,
    on: true,
    how,
    body,
    point,
    to,
    to_point: kind === "string" ? toPoint : null,
    breaks: null,
    collide: false,
  } as Tie;
}

export function newLayer(
  center: [number, number, number],
  size: number,
  kind: "sphere" | "box" | "torus" | "everywhere" = "sphere",
): Layer {
  return {
    shape: { kind, ...LAYERS[kind].make(center, size) } as unknown as Layer["shape"],
    profile: "smooth",
    low: 0,
    high: 1,
    invert: false,
    blend: "normal",
    opacity: 1,
    color: null,
    color_blend: "normal",
    color_opacity: 1,
  } as Layer;
}

export function newField(kind: EffectKind, name: string, middle: [number, number, number], size: number): FieldItem {
  const round = (x: number): number => Number(x.toPrecision(2));
  const layer = newLayer(
    middle,
    size,
    kind === "anchor" ? "box" : kind === "gravity" || kind === "wind" || kind === "drag" ? "everywhere" : "sphere",
  );
  if (kind === "anchor")
    Object.assign(layer.shape, {
      center: [middle[0], 0, middle[2]],
      core: [round(size * 1.2), round(size * 0.3), round(size * 1.2)],
    });
  if (OVER_TIME.has(kind) && layer.shape.kind === "sphere")
    Object.assign(layer.shape, { core: round(size * 0.8), edge: round(size * 0.6) });
  return {
    name,
    on: true,
    effect: { kind, ...structuredClone(EFFECTS[kind].make) },
    reach: { layers: [layer], use: null, strength: 1, limits: [0, 1] },
    cue: OVER_TIME.has(kind)
      ? { kind: "span", ...structuredClone(CUES.span.make) }
      : { kind: "at", ...structuredClone(CUES.at.make) },
    targets: "all",
    tiers: null,
    states: null,
    travel: null,
    aim: null,
    channels: [],
  } as unknown as FieldItem;
}

/** Units of an effect's numbers that follow from what it is given in, and from its cue. */
export function effectUnits(field: FieldItem): Record<string, string> {
  const { effect, cue } = field as unknown as {
    effect: Record<string, string>;
    cue: { kind: string; length?: number };
  };
  const over = cue.kind === "span" || (cue.length ?? 0) > 0;
  if (effect.kind === "attractor") return { strength: effect.unit === "N" ? "N" : "m/s²" };
  const unit =
    {
      "m/s": over ? "m/s²" : "m/s",
      N: over ? "N" : "N s",
      "rad/s": over ? "rad/s²" : "rad/s",
      "N m": over ? "N m" : "N m s",
    }[effect.unit ?? ""] ?? "";
  return { speed: effect.kind === "burst" ? unit : "m/s", amount: effect.kind === "drag" ? "1/s" : unit };
}

/**
 * Unit of the arrows a field shows: what it does over time is an acceleration, a blow changes the velocity, a
 * displacement is a way.
 */
export function arrowUnit(field: FieldItem): string {
  if (field.effect.kind === "displace") return "m";
  const cue = field.cue as { kind: string; length?: number };
  return OVER_TIME.has(field.effect.kind) || cue.kind === "span" || (cue.length ?? 0) > 0 ? "m/s²" : "m/s";
}

/** What a strength comes to, in words: a speed after a second, a way, a time. */
export function expected(field: FieldItem, gravity = 9.81): string {
  const e = field.effect as unknown as Record<string, number & string>;
  const over = field.cue.kind === "span" || ("length" in field.cue && (field.cue.length ?? 0) > 0);
  const steady = (a: number): string =>
    a ? `after 1 s ${showNumber(Math.abs(a), 3)} m/s; 5 m in ${showNumber(Math.sqrt(10 / Math.abs(a)), 2)} s` : "";
  if (e.kind === "attractor" && e.unit !== "N")
    return e.law === "constant"
      ? steady(e.strength)
      : `${showNumber(e.strength, 3)} m/s² at 1 m, ${showNumber({ linear: e.strength * 5, inverse: e.strength / 5, "inverse-square": e.strength / 25 }[e.law as string] ?? 0, 3)} at 5 m`;
  if (e.kind === "push" && e.unit === "m/s")
    return over
      ? steady(e.amount)
      : `${showNumber(Math.abs(e.amount), 3)} m/s at once${gravity > 0 ? `; up, it rises ${showNumber(e.amount ** 2 / (2 * gravity), 2)} m` : ""}`;
  if (e.kind === "burst" && e.unit === "m/s")
    return over ? steady(e.speed) : `flies ${showNumber(e.speed ** 2 / 9.81, 2)} m at best`;
  if (e.kind === "turbulence") return steady(e.strength);
  if (e.kind === "drag") return e.amount > 0 ? `half the speed in ${showNumber(Math.LN2 / e.amount, 2)} s` : "";
  if (e.kind === "vortex")
    return `${showNumber(Math.abs(e.swirl) / (2 * Math.PI * e.core), 2)} turns a second in the core; ${showNumber((e.swirl * e.core) / (3 * e.core), 2)} m/s three cores out`;
  if (e.kind === "wind")
    return `presses ${showNumber(0.5 * e.density * e.drag * e.speed ** 2, 3)} N on a square metre: moves ${showNumber((0.5 * e.density * e.drag * e.speed ** 2) / 9.81, 2)} kg as weight would`;
  return "";
}

export const PATTERNS: Record<Pattern["kind"], string> = {
  cells: "cells",
  radial: "radial",
  slabs: "slabs",
  bricks: "bricks",
  splinters: "splinters",
  faces: "faces",
};

/** A pattern that suits a body of so much size [m] along x, y, z. */
export function newPattern(kind: StepPattern["kind"] | "faces", size: readonly number[]): Pattern | StepPattern {
  const round = (x: number): number => Number(x.toPrecision(2));
  const big = Math.max(...size);
  const thin = size.indexOf(Math.min(...size));
  const long = size.indexOf(big);
  const unit = (k: number): [number, number, number] => [Number(k === 0), Number(k === 1), Number(k === 2)];
  const made: Record<string, unknown> = {
    cells: { kind, count: 60, up_to: null, seed: 1, smallest: 0, even: 0, crowd: null },
    splinters: { kind, count: 40, up_to: null, seed: 1, smallest: 0, grain: unit(long), stretch: 8 },
    radial: {
      kind,
      center: [0, 0, 0],
      axis: unit(thin),
      rings: 6,
      spokes: 12,
      radius: round(big * 0.6),
      growth: 1.4,
      random: 0.3,
      seed: 1,
      smallest: 0,
    },
    slabs: { kind, count: 8, axis: unit(1), spread: 0.05, random: 0.3, seed: 1, smallest: 0 },
    bricks: {
      kind,
      size: [round(big / 6), round(big / 12), round(big / 10)],
      layout: "straight",
      offset: 0.5,
      jitter: 0,
      gap: 0,
      seed: 1,
      smallest: 0,
    },
    faces: { kind, thickness: round(big * 0.01), rough: 0, seed: 1 },
    chunks: { kind, count: 8, guide: null, seed: 1 },
  };
  return made[kind] as Pattern;
}

/** What members may be scattered over: a body, where it is and how large; or the ground at a height. */
export interface Over {
  body: string | null;
  at: readonly number[];
  size: readonly number[] | null;
}

/** The sphere that a scatter stays inside at first: all of the body it is over, or a part of the ground. */
function roundOver(over: Over, reach: number): ReachShape {
  const core = over.size ? Number((0.5 * Math.hypot(...over.size)).toPrecision(2)) : reach;
  return { kind: "sphere", center: [...over.at] as [number, number, number], core, edge: 0, ride: null };
}

/** A layout that suits a body of so much size; carries over what the old one already says. */
export function newLayout(
  kind: Layout["kind"],
  body: Body,
  old: Layout | null,
  size: readonly number[] = [1, 1, 1],
  over: Over | null = null,
): Layout {
  const count = old ? Math.min(2000, layoutCount(old)) : 12;
  const step = size.map((s) => Number((s * 1.5).toPrecision(2))) as [number, number, number];
  const reach = Number((Math.max(...size) * 5).toPrecision(2));
  const inside: ReachShape =
    old && "inside" in old && old.inside
      ? (old.inside as ReachShape)
      : {
          kind: "sphere",
          center: [...body.place.position!] as [number, number, number],
          core: reach,
          edge: 0,
          ride: null,
        };
  const side = Math.max(1, Math.round(Math.sqrt(count)));
  const made: Record<Layout["kind"], unknown> = {
    line: { kind, count, step: [step[0], 0, 0] },
    grid: { kind, count: [side, 1, side], step },
    ring: { kind, count, radius: reach / 1.5, arc: 2 * Math.PI, face: true },
    volume: { kind, count, inside, gap: 0 },
    surface: {
      kind,
      count,
      body: over?.body ?? null,
      inside: over && !(old && "inside" in old && old.inside) ? roundOver(over, reach) : inside,
      steepest: 0.9,
      gap: 0,
      align: false,
    },
  };
  return made[kind] as Layout;
}

export function newGroup(
  name: string,
  body: Body,
  kind: Layout["kind"],
  size: readonly number[],
  over: Over | null,
): Group {
  return {
    name,
    body: structuredClone(body),
    layout: newLayout(kind, body, null, size, over),
    size: kind === "volume" || kind === "surface" ? [0.6, 1.4] : [1, 1],
    turn: kind === "volume" || kind === "surface" ? Math.PI : 0,
    tilt: 0,
    seed: 1,
  } as Group;
}

/** How many members a layout makes. */
export function layoutCount(layout: Layout): number {
  const count = layout.count as number | readonly number[];
  return typeof count === "number" ? count : count.reduce((a, b) => a * b, 1);
}

/** Why a bond of a body broke, in words. */
export function causeWords(cause: Partial<LoadCause> | undefined, body: string | undefined): string {
  if (!cause) return "";
  if (cause.field) return cause.field;
  if (cause.weight) return "its own weight";
  if (cause.motion) return "its own motion";
  if (cause.grip) return "the grip";
  if (cause.tension) return "pulled apart";
  return cause.impact === body ? "hit by its own pieces" : `hit by ${cause.impact}`;
}

/** A field's own layers, or those of the shared falloff it uses. */
export function layersOf(field: FieldItem, document: ShotDocument | null): Layer[] {
  const from = field.reach.use ? (document?.falloffs ?? []).find((f) => f.name === field.reach.use) : field.reach;
  return (from?.layers ?? []) as Layer[];
}

/** Keys of fields and falloffs whose value names a body; and of what holds vertices. */
const NAMES_BODY = new Set(["body", "carrier", "ride", "aim"]);
const HOLD_NAMES_BODY = new Set([...NAMES_BODY, "to"]);

/** Of each body what holds, draws and weighs its vertices, by places that may name other bodies. */
function holdsOf(document: ShotDocument): { reach: { layers?: unknown[]; use?: string | null } }[][] {
  const all = [...(document.bodies ?? []), ...(document.groups ?? []).map((g) => g.body)];
  return all.flatMap((b) => [b.pins ?? [], b.recall ?? [], b.weights ?? []] as never[]);
}

/** Names of bodies and groups that fields, falloffs, maps, pins and recall of a document name. */
export function bodiesNamedIn(document: ShotDocument): Set<string> {
  const out = new Set<string>();
  const walk = (part: unknown, names: Set<string>): void => {
    if (!part || typeof part !== "object") return;
    for (const [k, v] of Object.entries(part)) {
      if (names.has(k) && typeof v === "string") out.add(v);
      else if ((k === "targets" || k === "bodies") && Array.isArray(v)) for (const x of v) out.add(x as string);
      else walk(v, names);
    }
  };
  for (const part of [document.fields, document.falloffs, document.maps]) walk(part, NAMES_BODY);
  walk(holdsOf(document), HOLD_NAMES_BODY);
  return out;
}

/** Where fields and falloffs name a body, name it anew, in place; null: they do without, as far as they can. */
export function renameIn(document: ShotDocument, old: string, name: string | null): void {
  const walk = (part: unknown, names = NAMES_BODY): void => {
    if (!part || typeof part !== "object") return;
    for (const [k, v] of Object.entries(part)) {
      if (names.has(k) && v === old) (part as Record<string, unknown>)[k] = name;
      else if ((k === "targets" || k === "bodies") && Array.isArray(v)) {
        const next = v.flatMap((x) => (x === old ? (name === null ? [] : [name]) : [x]));
        (part as Record<string, unknown>)[k] = k === "bodies" && !next.length ? null : next;
      } else walk(v, names);
    }
  };
  walk(document.fields);
  walk(document.falloffs);
  walk(document.maps);
  walk(holdsOf(document), HOLD_NAMES_BODY);
  if (name !== null) return;
  for (const holds of holdsOf(document)) {
    const lost = holds.filter(({ reach }) => {
      const before = reach.layers?.length ?? 0;
      reach.layers = reach.layers?.filter((l) => (l as { shape: { body?: unknown } }).shape.body !== null);
      return before > 0 && !reach.layers?.length && !reach.use;
    });
    for (const one of lost) holds.splice(holds.indexOf(one), 1);
  }
  for (const f of document.fields as unknown as Record<string, Record<string, unknown> | null>[]) {
    if (f.effect!.hold === "carried" && f.effect!.carrier === null) f.effect!.hold = "fixed";
    if (f.effect!.to === "surface" && f.effect!.body === null) f.effect!.to = "point";
    if (f.travel?.kind === "ride" && f.travel.body === null) f.travel = null;
  }
  for (const stack of [
    ...document.fields.map((f) => f.reach),
    ...(document.maps ?? []).map((m) => m.reach),
    ...(document.falloffs ?? []),
  ])
    for (const layer of stack.layers ?? [])
      if ("body" in layer.shape && layer.shape.body === (null as unknown)) layer.shape = { kind: "everywhere" };
}

/**
 * A body whose patterns, choices, strengths and mesh hold the layers of the shared falloffs they use, as the server
 * fills them in: it builds from these.
 */
export function filled(body: Body, falloffs: readonly SharedFalloff[] | undefined, alone: boolean): Body {
  if (
    !falloffs?.length ||
    !JSON.stringify([body.shape, body.steps, body.pattern, body.breaks, body.bonds]).includes('"use":"')
  )
    return body;
  const out = structuredClone(body);
  const walk = (part: unknown, world: boolean): void => {
    if (!part || typeof part !== "object") return;
    const p = part as Record<string, unknown>;
    const own = typeof p.use === "string" && falloffs.find((f) => f.name === p.use);
    if (own) {
      p.given = { layers: own.layers, strength: own.strength, limits: own.limits };
      p.stands = world && alone ? { position: body.place.position, rotation: body.place.rotation } : null;
    }
    for (const v of Object.values(p)) walk(v, world);
  };
  for (const [part, world] of [
    [out.shape, false],
    [out.steps, false],
    [out.pattern, true],
    [out.breaks, true],
    [out.bonds, false],
  ] as const)
    walk(part, world);
  return out;
}

/** Who uses a shared falloff, in words: fields, maps, and parts of bodies. */
export function usersOf(document: ShotDocument | null, name: string): string[] {
  if (!document) return [];
  const inside = (part: unknown): boolean => JSON.stringify(part ?? null).includes(`"use":${JSON.stringify(name)}`);
  return [
    ...document.fields.filter((f) => f.reach.use === name).map((f) => f.name),
    ...(document.maps ?? []).filter((m) => m.reach.use === name).map((m) => m.name),
    ...[...document.bodies, ...(document.groups ?? [])].flatMap((x) => {
      const b = ("body" in x ? x.body : x) as Body;
      return [
        [[b.shape, b.steps], "mesh"],
        [[b.pattern, b.breaks], "break"],
        [b.bonds, "strength"],
      ].flatMap(([part, word]) => (inside(part) ? [`${word} of ${x.name}`] : []));
    }),
  ];
}

/** Put something else where parts of the document use a shared falloff, in place. */
export function replaceUse(document: ShotDocument, name: string, next: (reach: Record<string, unknown>) => void): void {
  const walk = (part: unknown): void => {
    if (!part || typeof part !== "object") return;
    if ((part as { use?: unknown }).use === name) next(part as Record<string, unknown>);
    for (const v of Object.values(part)) walk(v);
  };
  for (const part of [document.fields, document.maps, document.bodies, document.groups]) walk(part);
}

/** Layers that need no run: what patterns, choices, strengths and meshes can take. */
export function isStill(layers: readonly Layer[]): boolean {
  return layers.every(
    (l) =>
      !["mesh", "pieces", "sound", "trail", "delay", "hold"].includes(l.shape.kind) &&
      !(l.shape as { ride?: unknown }).ride,
  );
}

export const RAMPS: Record<WeightMap["ramp"], readonly string[]> = {
  ember: ["#3d424d", "#74443f", "#c4553a", "#f08a3c", "#ffd98a"],
  tide: ["#3a464f", "#2a5d74", "#2f8c9c", "#7cc7b8", "#dff3df"],
  moss: ["#40443c", "#52613a", "#6f8a3a", "#a9c46c", "#eaf2c2"],
  slate: ["#33373c", "#565c63", "#7d858c", "#b3b9bd", "#f0f1ee"],
};

export function newMap(name: string, use: string | null, middle: [number, number, number], size: number): WeightMap {
  return {
    name,
    reach: use
      ? { layers: [], use, strength: 1, limits: [0, 1] }
      : { layers: [newLayer(middle, size)], use: null, strength: 1, limits: [0, 1] },
    targets: "all",
    ramp: "ember",
  } as WeightMap;
}

/**
 * A body that is the surface of a shared falloff, where its value is one half; the box round its shapes is looked at.
 */
export function newFalloffBody(name: string, falloff: SharedFalloff): Body {
  const lo = [Infinity, Infinity, Infinity];
  const hi = [-Infinity, -Infinity, -Infinity];
  for (const layer of falloff.layers as Layer[]) {
    const s = layer.shape as unknown as {
      center?: number[];
      core?: number | number[];
      edge?: number;
      height?: number;
      ring?: number;
    };
    if (!s.center) continue;
    for (let k = 0; k < 3; k++) {
      const half =
        (Array.isArray(s.core)
          ? s.core[k]! / 2
          : Math.max((s.core ?? 1) + (s.ring ?? 0), (s.height ?? 0) / 2 + (s.core ?? 0))) + (s.edge ?? 0);
      lo[k] = Math.min(lo[k]!, s.center[k]! - half);
      hi[k] = Math.max(hi[k]!, s.center[k]! + half);
    }
  }
  const known = Number.isFinite(lo[0]);
  const round = (x: number): number => Number(x.toFixed(3));
  const center = known ? lo.map((x, k) => round((x + hi[k]!) / 2)) : [0, 1, 0];
  const size = known ? lo.map((x, k) => round(Math.max(0.1, hi[k]! - x))) : [4, 4, 4];
  return newBody(
    name,
    {
      kind: "falloff",
      reach: { use: falloff.name, layers: [], strength: 1, limits: [0, 1] },
      level: 0.5,
      center,
      size,
      detail: 32,
    } as unknown as Shape,
    0,
  );
}

/** What decides a body's pieces: where this text changes, they are built again. */
export function buildKey(body: Body): string {
  const { shape, steps, place, pattern, breaks, roughness, opening } = body;
  const matter = body.matter as { kind: string; detail?: number; tear?: unknown; breaks?: unknown } | undefined;
  const parts = [matter?.tear ?? null, matter?.breaks ?? null].map((x): unknown => x !== null);
  if (parts[0]) parts.push(matter?.detail); // lumps are as large as some cubes
  return JSON.stringify([shape, steps, place.scale, pattern, breaks, roughness, matter?.kind, parts, opening]);
}

/**
 * A value as text that is the same whatever the order of its keys, and whether what is not given is null, empty or left
 * out.
 */
export function sameText(value: unknown): string {
  if (Array.isArray(value)) return `[${value.map(sameText).join()}]`;
  if (value === null || typeof value !== "object") return JSON.stringify(value) ?? "null";
  const given = Object.entries(value).filter(
    ([, x]) => x !== null && x !== undefined && !(Array.isArray(x) && !x.length),
  );
  return `{${given
    .sort(([a], [b]) => (a < b ? -1 : 1))
    .map(([k, x]) => `${JSON.stringify(k)}:${sameText(x)}`)
    .join()}}`;
}

/** In words, what differs between a take's document and the shot now, leaving looks and names of shots out. */
export function differences(then: ShotDocument, now: ShotDocument): string[] {
  const out: string[] = [];
  const bare = (b: Body): string =>
    sameText({ ...b, roughness: null, material: { ...b.material, look: null, preset: null } });
  for (const [what, before, after, text] of [
    ["body", then.bodies, now.bodies, bare],
    ["group", then.groups ?? [], now.groups ?? [], sameText],
    ["tie", then.ties ?? [], now.ties ?? [], sameText],
    ["falloff", then.falloffs ?? [], now.falloffs ?? [], sameText],
    ["map", then.maps ?? [], now.maps ?? [], (m: WeightMap) => sameText({ ...m, ramp: null })],
    ["field", then.fields, now.fields, sameText],
  ] as [string, { name: string }[], { name: string }[], (x: unknown) => string][]) {
    for (const a of after) {
      const b = before.find((x) => x.name === a.name);
      if (!b) out.push(`${what} ${a.name} is new`);
      else if (text(a) !== text(b)) out.push(`${what} ${a.name} has changed`);
    }
    for (const b of before) if (!after.some((x) => x.name === b.name)) out.push(`${what} ${b.name} is gone`);
  }
  for (const key of ["timing", "quality", "gravity", "ground", "seed", "limits"] as const)
    if (sameText(then[key]) !== sameText(now[key])) out.push(`${key} has changed`);
  return out;
}
