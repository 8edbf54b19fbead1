/** Triangles as they are drawn: divided, and doubled where a sheet has a thickness for the eye. */

export interface Skin {
  /** the three vertices a point lies between */
  position: Float32Array<ArrayBuffer>;
  /** the rows of what lies round these */
  ring: Float32Array<ArrayBuffer>;
  /** its shares of the second and the third; the rest is the first's */
  share: Float32Array<ArrayBuffer>;
  /** 1 on the outside, -1 on the inside, 0 where there is no thickness */
  off: Float32Array<ArrayBuffer>;
  index: Uint32Array<ArrayBuffer>;
}

/** Sides of triangles that no other triangle has, as two corners each. */
export function rimOf(faces: ArrayLike<number>): [number, number][] {
  const open = new Map<string, [number, number]>();
  for (let f = 0; f < faces.length; f += 3)
    for (let c = 0; c < 3; c++) {
      const [from, to] = [f + c, f + ((c + 1) % 3)];
      const [a, b] = [faces[from]!, faces[to]!];
      const key = a < b ? `${a},${b}` : `${b},${a}`;
      if (!open.delete(key)) open.set(key, [from, to]);
    }
  return [...open.values()];
}

/**
 * Drawn triangles of faces, each side divided into ``parts``; thick: both sides of a sheet and its rim; rows: of each
 * corner of the faces, what lies round it (`ringsOf`).
 */
export function skinOf(faces: ArrayLike<number>, parts: number, thick: boolean, rows: ArrayLike<number> = faces): Skin {
  const position: number[] = [];
  const ring: number[] = [];
  const share: number[] = [];
  const index: number[] = [];
  const known = new Map<string, number>();
  const point = (corners: readonly [number, number, number], i: number, j: number): number => {
    // steps towards the second and the third corner; points of sides are the same for both triangles there
    const weights = [parts - i - j, i, j]
      .map((w, k) => [faces[corners[k]!]!, w, rows[corners[k]!]!] as const)
      .filter(([, w]) => w > 0);
    weights.sort((x, y) => x[0] - y[0]);
    const key = weights.flat().join();
    const found = known.get(key);
    if (found !== undefined) return found;
    const at = position.length / 3;
    const three = [0, 1, 2].map((k) => weights[Math.min(k, weights.length - 1)]!);
    position.push(...three.map(([v]) => v));
    ring.push(...three.map(([, , row]) => row));
    share.push(weights.length > 1 ? weights[1]![1] / parts : 0, weights.length > 2 ? weights[2]![1] / parts : 0);
    known.set(key, at);
    return at;
  };
  for (let f = 0; f < faces.length; f += 3) {
    const corners = [f, f + 1, f + 2] as const;
    for (let i = 0; i < parts; i++)
      for (let j = 0; i + j < parts; j++) {
        index.push(point(corners, i, j), point(corners, i + 1, j), point(corners, i, j + 1));
        if (i + j + 1 < parts)
          index.push(point(corners, i + 1, j), point(corners, i + 1, j + 1), point(corners, i, j + 1));
      }
  }
  const count = position.length / 3;
  if (!thick)
    return {
      position: new Float32Array(position),
      ring: new Float32Array(ring),
      share: new Float32Array(share),
      off: new Float32Array(count),
      index: new Uint32Array(index),
    };
  const inside: number[] = [];
  for (let k = 0; k < index.length; k += 3)
    inside.push(index[k]! + count, index[k + 2]! + count, index[k + 1]! + count);
  const rim: number[] = [];
  for (const [a, b] of rimOf(faces))
    for (let i = 0; i < parts; i++) {
      const [p, q] = [point([a, b, b], i, 0), point([a, b, b], i + 1, 0)]; // corners of one triangle
      rim.push(p, p + count, q, q, p + count, q + count);
    }
  return {
    position: new Float32Array([...position, ...position]),
    ring: new Float32Array([...ring, ...ring]),
    share: new Float32Array([...share, ...share]),
    off: new Float32Array(2 * count).map((_, k) => (k < count ? 1 : -1)),
    index: new Uint32Array([...index, ...inside, ...rim]),
  };
}
