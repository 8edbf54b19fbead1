/** New parts of a shot document, and questions about it. */
import type { Body, FieldItem, Layer, ReachShape, Shape, ShotDocument } from "../api/types";

export type EffectKind = "anchor" | "strain" | "burst";
export type Family = "holds" | "breaks" | "moves" | "ends";

export const FAMILY: Record<EffectKind, Family> = { anchor: "holds", strain: "breaks", burst: "moves" };
export const FAMILY_COLOR: Record<Family, string> = { holds: "var(--lichen)", breaks: "var(--ember)", moves: "var(--tide)", ends: "var(--ash)" };

/** A name not yet used: "box", "box 2", … */
export function freeName(wanted: string, used: string[]): string {
  if (!used.includes(wanted)) return wanted;
  for (let k = 2; ; k++) if (!used.includes(`${wanted} ${k}`)) return `${wanted} ${k}`;
}

/** Half the height of a shape, so that a new body stands on the ground. */
export function halfHeight(shape: Shape): number {
  if (shape.kind === "box") return (shape.size?.[1] ?? 1) / 2;
  if (shape.kind === "sphere") return shape.radius ?? 0.5;
  if (shape.kind === "cylinder" || shape.kind === "tube") return (shape.height ?? 1) / 2;
  return 0;
}

export const SHAPES: Record<string, () => Shape> = {
  box: () => ({ kind: "box", size: [2, 2, 2] }),
  sphere: () => ({ kind: "sphere", radius: 1, segments: 24 }),
  cylinder: () => ({ kind: "cylinder", radius: 0.75, height: 2.5, taper: 1, segments: 32 }),
  tube: () => ({ kind: "tube", radius: 1.5, wall: 0.4, height: 3, taper: 1, segments: 48 }),
};

export function newBody(name: string, shape: Shape, lift: number): Body {
  return {
    name,
    role: "active",
    shape,
    place: { position: [0, lift, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] },
    material: { density: 2400, friction: 0.6, bounce: 0.1, rolling: 0.01, look: { color: "#b4b1a4", roughness: 0.85 } },
    pattern: null,
    bonds: null,
    velocity: [0, 0, 0],
    spin: [0, 0, 0],
  } as Body;
}

export function newField(kind: EffectKind, name: string, middle: [number, number, number], size: number): FieldItem {
  const effects = {
    anchor: { kind: "anchor", cut: 0.5, reinforce: 4 },
    strain: { kind: "strain", load: 500, burst: 0 },
    burst: { kind: "burst", speed: 5 },
  } as const;
  const round = (x: number): number => Number(x.toPrecision(2));
  const shape: ReachShape =
    kind === "anchor"
      ? { kind: "box", center: [middle[0], 0, middle[2]], rotation: [0, 0, 0, 1], core: [round(size * 1.2), round(size * 0.3), round(size * 1.2)], edge: round(size * 0.1) }
      : { kind: "sphere", center: middle, core: round(size * 0.2), edge: round(size * 0.25) };
  return {
    name,
    on: true,
    effect: effects[kind],
    reach: { layers: [{ shape, profile: "smooth", invert: false, blend: "normal", opacity: 1 }] },
    cue: { kind: "at", time: 1 },
    targets: "all",
  } as FieldItem;
}

/** The layer the interface edits. */
export function layerOf(field: FieldItem): Layer {
  return field.reach.layers[0]!;
}

/** What decides a body's pieces: where this text changes, they are built again. */
export function buildKey(body: Body): string {
  return JSON.stringify([body.shape, body.place.scale, body.pattern]);
}

/** In words, what differs between a take's document and the shot now, leaving looks and names of shots out. */
export function differences(then: ShotDocument, now: ShotDocument): string[] {
  const out: string[] = [];
  const bare = (b: Body): string => JSON.stringify({ ...b, material: { ...b.material, look: null } });
  for (const [what, before, after, text] of [
    ["body", then.bodies, now.bodies, bare],
    ["field", then.fields, now.fields, (f: FieldItem) => JSON.stringify(f)],
  ] as [string, { name: string }[], { name: string }[], (x: unknown) => string][]) {
    for (const a of after) {
      const b = before.find((x) => x.name === a.name);
      if (!b) out.push(`${what} ${a.name} is new`);
      else if (text(a) !== text(b)) out.push(`${what} ${a.name} has changed`);
    }
    for (const b of before) if (!after.some((x) => x.name === b.name)) out.push(`${what} ${b.name} is gone`);
  }
  for (const key of ["timing", "quality", "gravity", "ground", "seed"] as const) if (JSON.stringify(then[key]) !== JSON.stringify(now[key])) out.push(`${key} has changed`);
  return out;
}
