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

export interface Rings {
  /**
   * in every row the two others of each triangle round a vertex, in the triangle's own order; -1 where there is none
   */
  table: Float32Array<ArrayBuffer>;
  /** the row of every corner of every face */
  row: Uint32Array<ArrayBuffer>;
}

/** cosine of the angle past which the edge between two triangles is drawn as one */
const CREASE = 0.8;

/**
 * What lies round vertices: of each a row with the triangles round it, at most ``AROUND``.
 *
 * vertices: how many; faces: three vertices each; same: as `together` gives them, where every triangle has vertices of
 * its own: those at one place count for all, its own first. places: where vertices are at rest: then a vertex on a
 * sharp edge has a row for each of its sides.
 */
export function ringsOf(
  vertices: number,
  faces: ArrayLike<number>,
  more: { same?: ArrayLike<number> | null; places?: ArrayLike<number> | null } = {},
): Rings {
  const { same, places } = more;
  const side = places ? sidesOf(faces, (v) => (same ? same[v]! : v), places) : new Uint32Array(faces.length);
  const rows = new Map<number, number[]>(); // the corners round each vertex, on each of its sides
  let most = 0;
  for (const s of side) most = Math.max(most, s + 1);
  for (let c = 0; c < faces.length; c++) {
    const key = (same ? same[faces[c]!]! : faces[c]!) * most + side[c]!;
    const known = rows.get(key);
    if (known) known.push(c);
    else rows.set(key, [c]);
  }
  const row = new Uint32Array(faces.length);
  const lists: number[][] = Array.from({ length: vertices }, () => []);
  for (const corners of rows.values()) {
    const first = faces[corners[0]!]!;
    if (same) {
      for (const c of corners) {
        row[c] = faces[c]!;
        lists[faces[c]!] = [c, ...corners.filter((x) => x !== c)];
      }
      continue;
    }
    const own = lists[first]!.length ? lists.push([]) - 1 : first;
    lists[own] = corners;
    for (const c of corners) row[c] = own;
  }
  const table = new Float32Array(lists.length * 2 * AROUND).fill(-1);
  lists.forEach((corners, r) =>
    corners.slice(0, AROUND).forEach((c, k) => {
      const f = c - (c % 3);
      table[(r * AROUND + k) * 2] = faces[f + ((c + 1) % 3)]!;
      table[(r * AROUND + k) * 2 + 1] = faces[f + ((c + 2) % 3)]!;
    }),
  );
  return { table, row };
}

/** For every corner of faces, which of the sides of its vertex it is on: sharp edges part them. */
function sidesOf(faces: ArrayLike<number>, at: (v: number) => number, places: ArrayLike<number>): Uint32Array {
  const normals = new Float64Array(faces.length);
  const round = new Map<number, number[]>();
  for (let f = 0; f < faces.length; f += 3) {
    const [p, q, r] = [0, 1, 2].map((c) => [0, 1, 2].map((x) => places[faces[f + c]! * 3 + x]!)) as number[][];
    const [u, v] = [q!, r!].map((x) => x.map((y, k) => y - p![k]!)) as [number[], number[]];
    const n = [u[1]! * v[2]! - u[2]! * v[1]!, u[2]! * v[0]! - u[0]! * v[2]!, u[0]! * v[1]! - u[1]! * v[0]!];
    const long = Math.hypot(...n) || 1;
    normals.set(
      n.map((x) => x / long),
      f,
    );
    for (let c = f; c < f + 3; c++) {
      const v = at(faces[c]!);
      const known = round.get(v);
      if (known) known.push(c);
      else round.set(v, [c]);
    }
  }
  const out = new Uint32Array(faces.length);
  const flat = (c: number, d: number): boolean => {
    const [f, g] = [c - (c % 3), d - (d % 3)];
    return normals[f]! * normals[g]! + normals[f + 1]! * normals[g + 1]! + normals[f + 2]! * normals[g + 2]! > CREASE;
  };
  for (const corners of round.values()) {
    // the others of each triangle; two that share one meet at an edge
    const others = corners.map((c) => [(c + 1) % 3, (c + 2) % 3].map((k) => at(faces[c - (c % 3) + k]!)));
    const side = corners.map((_, k) => k);
    const top = (k: number): number => (side[k] === k ? k : top(side[k]!));
    for (let i = 0; i < corners.length; i++)
      for (let j = 0; j < i; j++)
        if (others[i]!.some((v) => others[j]!.includes(v)) && flat(corners[i]!, corners[j]!)) side[top(i)] = top(j);
    const tops = [...new Set(corners.map((_, k) => top(k)))];
    corners.forEach((c, k) => (out[c] = tops.indexOf(top(k))));
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
 * Rings of ``sides`` points at both ends of every segment of a rope, joined by faces. Where two segments meet, both
 * have their ring at right angles to the way through, so that they are one round; elsewhere each ends by itself.
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
