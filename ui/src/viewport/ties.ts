/** Ties and collision shapes as lines: where each end is, in the set-up and in a take. */
import type { Tie } from "../api/types";
import type { Shown } from "../composables/useShown";
import { standAt } from "../lib/motion";
import { turn, type Quat, type Vec } from "../lib/rotation";
import type { FrameData } from "../lib/frames";
import type { PieceBatch } from "./PieceBatch";

export interface TieEnds {
  name: string;
  kind: Tie["how"]["kind"];
  ends: [Vec, Vec];
  axis: Vec;
}

const back = (q: Quat): Quat => [-q[0], -q[1], -q[2], q[3]];
const sub = (a: readonly number[], b: readonly number[]): Vec => [a[0]! - b[0]!, a[1]! - b[1]!, a[2]! - b[2]!];
const add = (a: readonly number[], b: readonly number[]): Vec => [a[0]! + b[0]!, a[1]! + b[1]!, a[2]! + b[2]!];

/** A frame of a take, and the opening that its orientations are told from. */
export interface Moved {
  now: FrameData;
  opening: FrameData;
}

function placeOf(frame: FrameData, piece: number): Vec {
  return [...frame.arrays.position!.subarray(piece * 3, piece * 3 + 3)] as Vec;
}

/** The piece of a thing whose middle is nearest to a point, in the first frame of a take. */
function nearest(batch: PieceBatch, opening: FrameData, body: number, point: Vec): number {
  let best = batch.first[body]!;
  let least = Infinity;
  for (let p = batch.first[body]!; p < batch.first[body + 1]!; p++) {
    const d = Math.hypot(...sub(point, placeOf(opening, p)));
    if (d < least) [best, least] = [p, d];
  }
  return best;
}

/** Where the vertex of a body that deforms has got to that was nearest to a point at the start; null of others. */
function softly(name: string, point: Vec, { now, opening }: Moved): Vec | null {
  const [then, points] = [opening.arrays[`points/${name}`], now.arrays[`points/${name}`]];
  if (!then || !points) return null;
  let [best, least] = [0, Infinity];
  for (let v = 0; v < then.length; v += 3) {
    const d = Math.hypot(then[v]! - point[0], then[v + 1]! - point[1], then[v + 2]! - point[2]);
    if (d < least) [best, least] = [v, d];
  }
  return [points[best]!, points[best + 1]!, points[best + 2]!];
}

/** Where a point of a body that is given for the start has got to, and how it is turned. */
function carried(
  batch: PieceBatch,
  shown: readonly Shown[],
  name: string | null,
  point: Vec,
  moved: Moved | null,
  time: number,
): { at: Vec; turned: Quat } {
  const still = { at: point, turned: [0, 0, 0, 1] as Quat };
  const b = name === null ? -1 : batch.names.indexOf(name);
  if (b < 0) return still;
  const soft = moved && name !== null ? softly(name, point, moved) : null;
  if (soft) return { at: soft, turned: [0, 0, 0, 1] };
  if (moved && moved.now.pieces === batch.count) {
    const p = nearest(batch, moved.opening, b, point);
    const q = [...moved.now.arrays.orientation!.subarray(p * 4, p * 4 + 4)] as Quat;
    return { at: add(placeOf(moved.now, p), turn(q, sub(point, placeOf(moved.opening, p)))), turned: q };
  }
  const thing = shown[b];
  if (thing?.body.role !== "animated") return still;
  const start = standAt(thing.body, 0, thing.packed);
  const now = standAt(thing.body, time, thing.packed);
  return {
    at: add(now.position, turn(now.rotation, turn(back(start.rotation), sub(point, start.position)))),
    turned: now.rotation,
  };
}

/** The ends of ties at a frame; those that have given way by then are left out. */
export function tieEnds(
  batch: PieceBatch,
  shown: readonly Shown[],
  ties: readonly Tie[],
  moved: Moved | null,
  time: number,
  gone: ReadonlySet<string>,
): TieEnds[] {
  return ties
    .filter((t) => t.on && !gone.has(t.name))
    .map((t) => {
      const first = carried(batch, shown, t.body, t.point as Vec, moved, time);
      const second = carried(batch, shown, t.to, (t.to_point ?? t.point) as Vec, moved, time);
      const axis = t.how.kind === "hinge" ? turn(first.turned, t.how.axis as Vec) : ([0, 1, 0] as Vec);
      const length = Math.hypot(...axis) || 1;
      return { name: t.name, kind: t.how.kind, ends: [first.at, second.at], axis: axis.map((x) => x / length) as Vec };
    });
}

/**
 * Segments that draw ties: a string as its line, a hinge as its axis with a ring, a pin as a cross, a weld as a box.
 */
export function drawTies(
  ties: readonly TieEnds[],
  size: number,
  color: (name: string) => readonly number[],
): { ends: Float32Array<ArrayBuffer>; colors: Float32Array } {
  const at: number[] = [];
  const colors: number[] = [];
  const line = (a: Vec, b: Vec, c: readonly number[]): void => {
    at.push(...a, ...b);
    colors.push(...c);
  };
  const cross = (p: Vec, c: readonly number[], r: number): void => {
    for (let k = 0; k < 3; k++)
      line(p.map((x, i) => (i === k ? x - r : x)) as Vec, p.map((x, i) => (i === k ? x + r : x)) as Vec, c);
  };
  for (const { name, kind, ends, axis } of ties) {
    const c = color(name);
    const [a, b] = ends;
    if (kind === "string") {
      line(a, b, c);
      cross(a, c, size * 0.3);
      cross(b, c, size * 0.3);
    } else if (kind === "hinge") {
      const along = axis.map((x) => x * size * 1.6) as Vec;
      line(sub(a, along), add(a, along), c);
      const side: Vec = Math.abs(axis[1]) < 0.9 ? [0, 1, 0] : [1, 0, 0];
      const cr = (u: Vec, v: Vec): Vec => [
        u[1] * v[2] - u[2] * v[1],
        u[2] * v[0] - u[0] * v[2],
        u[0] * v[1] - u[1] * v[0],
      ];
      const raw = cr(axis, side);
      const u = raw.map((x) => x / Math.hypot(...raw)) as Vec;
      const v = cr(axis, u);
      const ring = (k: number): Vec =>
        a.map((x, i) => x + size * 0.7 * (Math.cos(k) * u[i]! + Math.sin(k) * v[i]!)) as Vec;
      for (let k = 0; k < 20; k++) line(ring((k * Math.PI) / 10), ring(((k + 1) * Math.PI) / 10), c);
    } else {
      if (kind === "pin") cross(a, c, size * 0.7);
      else {
        const corner = (x: number, y: number, z: number): Vec =>
          add(a, [x * size * 0.5, y * size * 0.5, z * size * 0.5]);
        for (const s of [-1, 1])
          for (const t of [-1, 1]) {
            line(corner(-1, s, t), corner(1, s, t), c);
            line(corner(s, -1, t), corner(s, 1, t), c);
            line(corner(s, t, -1), corner(s, t, 1), c);
          }
      }
      if (Math.hypot(...sub(a, b)) > 1e-3 * size) line(a, b, c);
    }
  }
  return { ends: new Float32Array(at), colors: new Float32Array(colors) };
}
