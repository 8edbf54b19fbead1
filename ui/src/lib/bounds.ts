/** Bounds in the world of what stands at one or many places. */
import type { Packed } from "../api/packed";
import type { Body } from "../api/types";
import { turn, type Quat, type Vec } from "./rotation";

export interface Standing {
  position: Vec;
  rotation: Quat;
  size: number;
}

/** Every copy of the vertices (3 n) in the world; of very many some are left out. */
export function eachPoint(vertices: ArrayLike<number>, copies: readonly Standing[], visit: (at: Vec) => void): void {
  const step = Math.max(1, Math.floor(((vertices.length / 3) * Math.max(1, copies.length / 8)) / 4000));
  for (const copy of copies)
    for (let k = 0; k < vertices.length / 3; k += step) {
      const w = turn(copy.rotation, [
        vertices[k * 3]! * copy.size,
        vertices[k * 3 + 1]! * copy.size,
        vertices[k * 3 + 2]! * copy.size,
      ]);
      visit(w.map((x, c) => x + copy.position[c]!) as Vec);
    }
}

/** Grow lo and hi to take in every copy of the vertices. */
export function takeIn(vertices: ArrayLike<number>, copies: readonly Standing[], lo: Vec, hi: Vec): void {
  eachPoint(vertices, copies, (at) => {
    for (let c = 0; c < 3; c++) {
      lo[c] = Math.min(lo[c]!, at[c]!);
      hi[c] = Math.max(hi[c]!, at[c]!);
    }
  });
}

/** The box round a body where it opens [m]; about its place where it is not built. */
export function boundsOf(body: Body, packed: Packed | undefined): { lo: Vec; hi: Vec } {
  const lo: Vec = [Infinity, Infinity, Infinity];
  const hi: Vec = [-Infinity, -Infinity, -Infinity];
  const { position, rotation } = body.place as { position: Vec; rotation: Quat };
  if (packed) takeIn(packed.vertices as Float32Array, [{ position, rotation, size: 1 }], lo, hi);
  return Number.isFinite(lo[0]) ? { lo, hi } : { lo: position, hi: position };
}
