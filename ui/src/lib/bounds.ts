/** Bounds in the world of what stands at one or many places. */
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
