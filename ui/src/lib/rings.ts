/** What lies round vertices of a surface, in tables that the graphics card reads. */

/** triangles round a vertex that count towards its normal */
export const AROUND = 8;

/**
 * For every vertex the first that lies at the same place at rest: what can tear has vertices of its own for every
 * triangle, and is smooth as long as these hang together. Itself where no other does.
 */
export function together(places: ArrayLike<number>): Uint32Array {
  const known = new Map<string, number>();
  return Uint32Array.from({ length: places.length / 3 }, (_, v) => {
    const key = [0, 1, 2].map((c) => Math.round(places[v * 3 + c]! * 1e5)).join();
    const first = known.get(key);
    if (first === undefined) known.set(key, v);
    return first ?? v;
  });
}

/**
 * For every vertex the two others of each triangle round it, in the triangle's own order; -1 where there is none. Of more
 * than ``AROUND`` triangles the first count.
 *
 * vertices: how many; faces: three vertices each; same: as `together` gives them, so that triangles of vertices at one
 * place count for all of them. Returns 2 AROUND numbers for every vertex.
 */
export function ringsOf(
  vertices: number,
  faces: ArrayLike<number>,
  same: ArrayLike<number> | null = null,
): Float32Array<ArrayBuffer> {
  const out = new Float32Array(vertices * 2 * AROUND).fill(-1);
  const used = new Uint8Array(vertices);
  for (let f = 0; f < faces.length; f += 3) {
    for (let c = 0; c < 3; c++) {
      const v = same ? same[faces[f + c]!]! : faces[f + c]!;
      if (used[v]! >= AROUND) continue;
      const at = (v * AROUND + used[v]!) * 2;
      out[at] = faces[f + ((c + 1) % 3)]!;
      out[at + 1] = faces[f + ((c + 2) % 3)]!;
      used[v]!++;
    }
  }
  if (same) spread(out, vertices, faces, same);
  return out;
}

/** Give all vertices at one place the triangles of the first, and each its own triangle before the others. */
function spread(rings: Float32Array, vertices: number, faces: ArrayLike<number>, same: ArrayLike<number>): void {
  const each = 2 * AROUND;
  for (let v = 0; v < vertices; v++)
    if (same[v] !== v) rings.copyWithin(v * each, same[v]! * each, (same[v]! + 1) * each);
  for (let f = 0; f < faces.length; f += 3) {
    for (let c = 0; c < 3; c++) {
      const first = faces[f + c]! * each;
      const [a, b] = [faces[f + ((c + 1) % 3)]!, faces[f + ((c + 2) % 3)]!];
      let at = first;
      while (at < first + each && (rings[at] !== a || rings[at + 1] !== b)) at += 2;
      if (at < first + each) rings.copyWithin(at, first, first + 2);
      rings[first] = a;
      rings[first + 1] = b;
    }
  }
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
