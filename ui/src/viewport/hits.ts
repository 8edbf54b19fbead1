/** Where a ray meets what is shown, and which way the surface faces there. */
import type { Copy, Shown } from "../composables/useShown";
import { back, turn, type Vec } from "../lib/rotation";

export interface SurfaceHit {
  at: Vec;
  /** a unit vector out of the surface, towards where the ray came from */
  normal: Vec;
  distance: number;
}

const dot = (a: Vec, b: Vec): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const cross = (a: Vec, b: Vec): Vec => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];
const minus = (a: ArrayLike<number>, i: number, b: ArrayLike<number>, j: number): Vec => [
  a[i]! - b[j]!,
  a[i + 1]! - b[j + 1]!,
  a[i + 2]! - b[j + 2]!,
];

/**
 * Where a ray first meets triangles ``from`` to ``to`` of a copy (Moeller and Trumbore 1997); null where it passes by.
 */
function hitFaces(origin: Vec, along: Vec, thing: Shown, copy: Copy, from: number, to: number): SurfaceHit | null {
  const { vertices: v, faces } = thing.packed as unknown as { vertices: Float32Array; faces: Uint32Array };
  const q = back(copy.rotation);
  const o = turn(q, minus(origin, 0, copy.position, 0)).map((x) => x / copy.size) as Vec;
  const d = turn(q, along);
  let best = Infinity;
  let normal: Vec = [0, 1, 0];
  for (let f = from; f < to; f++) {
    const [i, j, k] = [faces[f * 3]! * 3, faces[f * 3 + 1]! * 3, faces[f * 3 + 2]! * 3];
    const [e1, e2] = [minus(v, j, v, i), minus(v, k, v, i)];
    const h = cross(d, e2);
    const det = dot(e1, h);
    if (Math.abs(det) < 1e-12) continue;
    const s = minus(o, 0, v, i);
    const a = dot(s, h) / det;
    const g = cross(s, e1);
    const b = dot(d, g) / det;
    if (a < 0 || b < 0 || a + b > 1) continue;
    const t = dot(e2, g) / det;
    if (t > 0 && t < best) [best, normal] = [t, cross(e1, e2)];
  }
  if (!Number.isFinite(best)) return null;
  const length = Math.hypot(...normal) * (dot(normal, d) > 0 ? -1 : 1);
  const own = o.map((x, c) => (x + d[c]! * best) * copy.size) as Vec;
  return {
    at: turn(copy.rotation, own).map((x, c) => x + copy.position[c]!) as Vec,
    normal: turn(copy.rotation, normal.map((x) => x / length) as Vec),
    distance: best * copy.size,
  };
}

/** Where a ray first meets a piece of a thing. */
export function hitPiece(origin: Vec, along: Vec, thing: Shown, copy: Copy, index: number): SurfaceHit | null {
  const start = thing.packed.face_start as unknown as Uint32Array;
  return hitFaces(origin, along, thing, copy, start[index]!, start[index + 1]!);
}

/** Where a ray first meets any of these things. */
export function hitThings(origin: Vec, along: Vec, things: readonly Shown[]): SurfaceHit | null {
  let best: SurfaceHit | null = null;
  for (const thing of things)
    for (const copy of thing.copies) {
      const all = (thing.packed.faces as unknown as Uint32Array).length / 3;
      const hit = hitFaces(origin, along, thing, copy, 0, all);
      if (hit && (!best || hit.distance < best.distance)) best = hit;
    }
  return best;
}
