/** Where a ray meets something that deforms, as it is drawn now. */
import type { Vec } from "../lib/rotation";

export interface Met {
  at: Vec;
  /** a unit vector out of the surface, towards where the ray came from */
  normal: Vec;
  distance: number;
  /** vertices of what was met and their shares of the place; of a rope two */
  corners: number[];
  shares: number[];
  /** the nearest of them */
  vertex: number;
}

const dot = (a: Vec, b: Vec): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
const cross = (a: Vec, b: Vec): Vec => [
  a[1] * b[2] - a[2] * b[1],
  a[2] * b[0] - a[0] * b[2],
  a[0] * b[1] - a[1] * b[0],
];

function metAt(
  places: ArrayLike<number>,
  corners: number[],
  shares: number[],
  normal: Vec,
  along: Vec,
  distance: number,
): Met {
  const at = [0, 1, 2].map((c) => corners.reduce((sum, v, k) => sum + shares[k]! * places[v * 3 + c]!, 0)) as Vec;
  const long = Math.hypot(...normal) * (dot(normal, along) > 0 ? -1 : 1) || 1;
  const best = shares.indexOf(Math.max(...shares));
  return { at, normal: normal.map((x) => x / long) as Vec, distance, corners, shares, vertex: corners[best]! };
}

/**
 * Where a ray first meets triangles (Moeller and Trumbore 1997); null where it passes by.
 *
 * places: three numbers a vertex [m]; faces: three vertices each
 */
export function meetFaces(origin: Vec, along: Vec, places: ArrayLike<number>, faces: ArrayLike<number>): Met | null {
  let best: [number, number, number, number] | null = null; // distance, face, shares of the second and third corner
  for (let f = 0; f < faces.length; f += 3) {
    const [i, j, k] = [faces[f]! * 3, faces[f + 1]! * 3, faces[f + 2]! * 3];
    const ax = places[i]!;
    const ay = places[i + 1]!;
    const az = places[i + 2]!;
    const [e1x, e1y, e1z] = [places[j]! - ax, places[j + 1]! - ay, places[j + 2]! - az];
    const [e2x, e2y, e2z] = [places[k]! - ax, places[k + 1]! - ay, places[k + 2]! - az];
    const hx = along[1] * e2z - along[2] * e2y;
    const hy = along[2] * e2x - along[0] * e2z;
    const hz = along[0] * e2y - along[1] * e2x;
    const det = e1x * hx + e1y * hy + e1z * hz;
    if (Math.abs(det) < 1e-14) continue;
    const [sx, sy, sz] = [origin[0] - ax, origin[1] - ay, origin[2] - az];
    const a = (sx * hx + sy * hy + sz * hz) / det;
    if (a < 0 || a > 1) continue;
    const gx = sy * e1z - sz * e1y;
    const gy = sz * e1x - sx * e1z;
    const gz = sx * e1y - sy * e1x;
    const b = (along[0] * gx + along[1] * gy + along[2] * gz) / det;
    if (b < 0 || a + b > 1) continue;
    const t = (e2x * gx + e2y * gy + e2z * gz) / det;
    if (t > 0 && (!best || t < best[0])) best = [t, f, a, b];
  }
  if (!best) return null;
  const [distance, f, a, b] = best;
  const corners = [faces[f]!, faces[f + 1]!, faces[f + 2]!];
  const [p, q, r] = corners.map((v) => [places[v * 3]!, places[v * 3 + 1]!, places[v * 3 + 2]!] as Vec);
  const edge = (to: Vec): Vec => to.map((x, c) => x - p![c]!) as Vec;
  return metAt(places, corners, [1 - a - b, a, b], cross(edge(q!), edge(r!)), along, distance);
}

/** The place on segments that a ray passes nearest to; null where there are none. lines: two vertices each */
export function meetLines(origin: Vec, along: Vec, places: ArrayLike<number>, lines: ArrayLike<number>): Met | null {
  let best: { gap: number; t: number; u: number; s: number } | null = null;
  for (let s = 0; s < lines.length; s += 2) {
    const [i, j] = [lines[s]! * 3, lines[s + 1]! * 3];
    const d: Vec = [places[j]! - places[i]!, places[j + 1]! - places[i + 1]!, places[j + 2]! - places[i + 2]!];
    const w: Vec = [origin[0] - places[i]!, origin[1] - places[i + 1]!, origin[2] - places[i + 2]!];
    const [dd, da, wd, wa] = [dot(d, d), dot(d, along), dot(w, d), dot(w, along)];
    const det = dd - da * da;
    const u = Math.max(0, Math.min(1, det > 1e-12 * dd ? (wd - da * wa) / det : 0));
    const t = Math.max(0, u * da - wa);
    const gap = Math.hypot(...w.map((x, c) => x + t * along[c]! - u * d[c]!));
    if (!best || gap < best.gap) best = { gap, t, u, s };
  }
  if (!best) return null;
  const corners = [lines[best.s]!, lines[best.s + 1]!];
  return metAt(places, corners, [1 - best.u, best.u], along.map((x) => -x) as Vec, along, best.t);
}
