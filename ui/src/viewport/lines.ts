/** What is drawn as lines over the pieces: bonds, collision shapes, defects of a mesh. */
import type { Body } from "../api/types";
import type { Shown } from "../composables/useShown";
import { ramp, type Rgb } from "../lib/ramp";
import { turn, type Quat, type Vec } from "../lib/rotation";
import type { PieceBatch } from "./PieceBatch";

/** One colour at every end of lines (six numbers each). */
export function oneColor(at: Float32Array, color: Rgb): Float32Array<ArrayBuffer> {
  return new Float32Array(at.length / 2).map((_, k) => color[k % 3]!);
}

/**
 * Bonds of a thing between its pieces, coloured by strength, or by the share of it that weight takes (null: not known
 * yet); those cut by hand in ember.
 */
export function bondLines(
  batch: PieceBatch,
  thing: Shown,
  strength: Float32Array | undefined,
  weight: Float32Array | null | undefined,
): { at: Float32Array<ArrayBuffer>; colors: Float32Array<ArrayBuffer> } | null {
  const ends = thing.packed.bond_piece!;
  if (
    !strength ||
    weight === null ||
    (weight && weight.length !== strength.length) ||
    strength.length * 2 !== ends.length
  )
    return null;
  const first = batch.first[batch.names.indexOf(thing.name)]!;
  const at = new Float32Array(strength.length * 6);
  const colors = new Float32Array(strength.length * 3);
  let top = 1e-9;
  for (const k of strength) top = Math.max(top, k);
  for (let b = 0; b < strength.length; b++) {
    for (let e = 0; e < 2; e++) at.set(batch.placeOf(first + ends[b * 2 + e]!), b * 6 + e * 3);
    colors.set(
      strength[b]! <= 0 ? [1, 0.3, 0.2] : ramp(weight ? weight[b]! : 0.15 + 0.7 * (strength[b]! / top)),
      b * 3,
    );
  }
  return { at, colors };
}

/** What a thing collides as, at each of its copies; null where the shapes are of pieces built before. */
export function shapeLines(
  thing: Shown,
  found: { edges: Float32Array; piece: Int32Array },
): Float32Array<ArrayBuffer> | null {
  const center = found.piece[0] === -1 ? new Float32Array(3) : (thing.packed.center as Float32Array);
  const count = found.piece.length;
  if (found.piece.some((p) => p * 3 >= center.length)) return null;
  const at = new Float32Array(count * 6 * thing.copies.length);
  let n = 0;
  for (const copy of thing.copies)
    for (let e = 0; e < count; e++)
      for (let side = 0; side < 2; side++) {
        const p = Math.max(0, found.piece[e]!) * 3;
        const w = turn(
          copy.rotation,
          [0, 1, 2].map((c) => copy.size * (center[p + c]! + found.edges[e * 6 + side * 3 + c]!)) as Vec,
        );
        for (let c = 0; c < 3; c++) at[n++] = w[c]! + copy.position[c]!;
      }
  return at;
}

/** Where a body's mesh is defective: segments, and a cross at each that is a point. */
export function markLines(body: Body, marks: readonly number[][]): Float32Array<ArrayBuffer> {
  const p = body.place.position!;
  const reach = Math.max(...marks.flat().map(Math.abs), 1e-6);
  const put = (x: number, y: number, z: number): number[] =>
    turn(body.place.rotation as Quat, [x, y, z]).map((w, k) => w + p[k]!);
  const ends: number[] = [];
  for (const m of marks) {
    if (m[0] === m[3] && m[1] === m[4] && m[2] === m[5]) {
      for (let k = 0; k < 3; k++)
        for (const side of [-1, 1])
          ends.push(...put(...([0, 1, 2].map((c) => m[c]! + (c === k ? side * 0.02 * reach : 0)) as Vec)));
    } else ends.push(...put(m[0]!, m[1]!, m[2]!), ...put(m[3]!, m[4]!, m[5]!));
  }
  return new Float32Array(ends);
}
