/** Strokes of a brush: shown while they are drawn, before the server has said what they come to. */
import type { components } from "../api/generated";
import type { Body, FieldItem, Layer } from "../api/types";
import { overLayer } from "./edges";
import { back, turn, type Quat, type Vec } from "./rotation";

export type Stroke = Required<components["schemas"]["Stroke"]>;
export type Part = "pins" | "recall" | "weights";
type Reach = FieldItem["reach"];
type Painted = Extract<Layer["shape"], { kind: "painted" }>;

/** How much a stroke covers what is so far from its line: 1 at the line, 0 beyond its radius. */
export function coverAt(distance: number, radius: number, soft: number): number {
  if (distance > radius) return 0;
  const fade = soft * radius;
  if (!(fade > 0)) return 1;
  const t = Math.min(1, (radius - distance) / fade);
  return t * t * (3 - 2 * t);
}

/** Distance from a point to the segment between two others. */
function fromSegment(p: Vec, a: Vec, b: Vec): number {
  const d = b.map((x, c) => x - a[c]!) as Vec;
  const long2 = d[0] * d[0] + d[1] * d[1] + d[2] * d[2];
  const along = (p[0] - a[0]) * d[0] + (p[1] - a[1]) * d[1] + (p[2] - a[2]) * d[2];
  const t = long2 > 0 ? Math.max(0, Math.min(1, along / long2)) : 0;
  return Math.hypot(p[0] - a[0] - t * d[0], p[1] - a[1] - t * d[1], p[2] - a[2] - t * d[2]);
}

/** A point on the other side of a stroke's mirror. */
const mirrored = (p: Vec, mirror: Stroke["mirror"]): Vec =>
  p.map((x, c) => (c === "xyz".indexOf(mirror ?? "-") ? -x : x)) as Vec;

/** How much of a stroke lies on a point of its layer's frame. */
export function covered(stroke: Stroke, point: Vec): number {
  const sides = stroke.mirror ? [point, mirrored(point, stroke.mirror)] : [point];
  const line = stroke.points as Vec[];
  let near = Infinity;
  for (const p of sides)
    for (let k = 0; k < line.length; k++)
      near = Math.min(near, fromSegment(p, line[k]!, line[Math.min(k + 1, line.length - 1)]!));
  return coverAt(near, stroke.radius, stroke.soft);
}

/**
 * Let the cover of points of the layer's frame (three numbers each) grow by the last stretch of a stroke, in place:
 * what ``covered`` gives when every stretch was laid so.
 */
export function coverMore(stroke: Stroke, points: Float32Array, cover: Float32Array): void {
  const last = { ...stroke, points: stroke.points.slice(-2) };
  for (let v = 0; v < cover.length; v++) {
    const own = covered(last, [points[v * 3]!, points[v * 3 + 1]!, points[v * 3 + 2]!]);
    if (own > cover[v]!) cover[v] = own;
  }
}

/** A value with a stroke over it. */
export function over(value: number, stroke: Stroke, cover: number): number {
  if (stroke.how === "set") return value + cover * (stroke.strength - value);
  return Math.min(1, Math.max(0, value + (stroke.how === "add" ? 1 : -1) * stroke.strength * cover));
}

/** The layer of a reach that is painted on: its last, where that is one. */
export const paintedLayer = (reach: Reach): Painted | null => {
  const shape = reach.layers?.at(-1)?.shape;
  return shape?.kind === "painted" ? shape : null;
};

/** How many strokes lie on a reach. */
export const strokesOf = (reach: Reach): number =>
  (reach.layers ?? []).reduce((sum, l) => sum + (l.shape?.kind === "painted" ? (l.shape.strokes?.length ?? 0) : 0), 0);

/** The frame that strokes of a reach are in: its painted layer's, or where the body stands. */
export function frameOf(reach: Reach, place: Body["place"]): { center: Vec; rotation: Quat } {
  const layer = paintedLayer(reach);
  return layer
    ? { center: layer.center as Vec, rotation: layer.rotation as Quat }
    : { center: [...place.position!] as Vec, rotation: [...place.rotation!] as Quat };
}

/** A point of the world in a frame. */
export const inFrame = (frame: { center: Vec; rotation: Quat }, at: Vec): Vec =>
  turn(back(frame.rotation), at.map((x, c) => x - frame.center[c]!) as Vec);

const painted = (frame: { center: Vec; rotation: Quat }, strokes: Stroke[]): object => ({
  ...overLayer({ kind: "painted", ...frame, strokes }),
  blend: "normal",
});

/** Lay a stroke over a reach, in place: on its painted layer, or on a new one. */
export function paintOn(reach: Reach, stroke: Stroke, place: Body["place"]): void {
  const layer = paintedLayer(reach);
  if (layer) return void (layer.strokes = [...(layer.strokes ?? []), stroke]);
  reach.layers = [...(reach.layers ?? []), painted(frameOf(reach, place), [stroke])] as Reach["layers"];
}

/** Nothing anywhere, to be painted on. */
export const blank = (place: Body["place"]): Reach =>
  ({
    layers: [painted({ center: [...place.position!] as Vec, rotation: [...place.rotation!] as Quat }, [])],
    use: null,
    strength: 1,
    limits: [0, 1],
  }) as Reach;

/** Take all strokes off a reach, in place. A reach of nothing else stays, with nothing on it. */
export function wipe(reach: Reach): void {
  const others = (reach.layers ?? []).filter((l) => l.shape?.kind !== "painted");
  if (others.length) return void (reach.layers = others);
  for (const layer of reach.layers ?? []) if (layer.shape?.kind === "painted") layer.shape.strokes = [];
}
