/** What lies round vertices of a surface, in tables that the graphics card reads. */

/** triangles round a vertex that count towards its normal */
export const AROUND = 8;

/**
 * For every vertex the two others of each triangle round it, in the triangle's own order; -1 where there is none. Of more
 * than ``AROUND`` triangles the first count.
 *
 * vertices: how many; faces: three vertices each. Returns 2 AROUND numbers for every vertex.
 */
export function ringsOf(vertices: number, faces: ArrayLike<number>): Float32Array<ArrayBuffer> {
  const out = new Float32Array(vertices * 2 * AROUND).fill(-1);
  const used = new Uint8Array(vertices);
  for (let f = 0; f < faces.length; f += 3) {
    for (let c = 0; c < 3; c++) {
      const v = faces[f + c]!;
      if (used[v]! >= AROUND) continue;
      const at = (v * AROUND + used[v]!) * 2;
      out[at] = faces[f + ((c + 1) % 3)]!;
      out[at + 1] = faces[f + ((c + 2) % 3)]!;
      used[v]!++;
    }
  }
  return out;
}

export interface Tube {
  /** a vertex, and those before and after it along the rope, for every point of a ring */
  position: Float32Array<ArrayBuffer>;
  angle: Float32Array<ArrayBuffer>;
  index: Uint32Array<ArrayBuffer>;
}

/**
 * Rings of ``sides`` points at both ends of every segment of a rope, joined by faces. Where two segments meet, both have
 * their ring at right angles to the way through, so that they are one round; elsewhere each ends by itself.
 */
export function tubeOf(lines: ArrayLike<number>, sides: number): Tube {
  const segments = lines.length / 2;
  const beside = new Map<number, number[]>();
  for (let s = 0; s < segments; s++) {
    const [a, b] = [lines[s * 2]!, lines[s * 2 + 1]!];
    for (const [v, other] of [
      [a, b],
      [b, a],
    ] as const)
      beside.set(v, [...(beside.get(v) ?? []), other]);
  }
  const position = new Float32Array(segments * 2 * sides * 3);
  const angle = new Float32Array(segments * 2 * sides);
  const index = new Uint32Array(segments * sides * 6);
  let at = 0;
  let corner = 0;
  for (let s = 0; s < segments; s++) {
    const ends = [lines[s * 2]!, lines[s * 2 + 1]!] as const;
    const first = at;
    for (const end of [0, 1] as const) {
      const [v, other] = [ends[end], ends[1 - end]!];
      const near = beside.get(v)!;
      const beyond = near.length === 2 ? (near[0] === other ? near[1]! : near[0]!) : v;
      const [before, after] = end === 0 ? [beyond, other] : [other, beyond];
      for (let k = 0; k < sides; k++) {
        position.set([v, before, after], at * 3);
        angle[at] = (2 * Math.PI * k) / sides;
        at++;
      }
    }
    for (let k = 0; k < sides; k++) {
      const next = (k + 1) % sides;
      const [p, q] = [first + k, first + next];
      index.set([p, q, p + sides, q, q + sides, p + sides], corner);
      corner += 6;
    }
  }
  return { position, angle, index };
}
