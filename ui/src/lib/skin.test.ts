import { describe, expect, it } from "vitest";
import { rimOf, skinOf, type Skin } from "./skin";

/** a square of two triangles */
const SQUARE = [0, 1, 2, 0, 2, 3];
const PLACES = [
  [0, 0],
  [1, 0],
  [1, 1],
  [0, 1],
];
const at = (s: Skin, k: number): number[] => {
  const [b, c] = [s.share[k * 2]!, s.share[k * 2 + 1]!];
  return [0, 1].map((x) => [1 - b - c, b, c].reduce((sum, w, j) => sum + w * PLACES[s.position[k * 3 + j]!]![x]!, 0));
};
const area = (s: Skin, from = 0, to = s.index.length): number => {
  let sum = 0;
  for (let f = from; f < to; f += 3) {
    const [p, q, r] = [at(s, s.index[f]!), at(s, s.index[f + 1]!), at(s, s.index[f + 2]!)];
    sum += ((q[0]! - p[0]!) * (r[1]! - p[1]!) - (r[0]! - p[0]!) * (q[1]! - p[1]!)) / 2;
  }
  return sum;
};

describe("triangles as they are drawn", () => {
  it("are those of the mesh where nothing is divided", () => {
    const skin = skinOf(SQUARE, 1, false);
    expect(skin.index.length).toBe(6);
    expect([...skin.share].every((x) => x === 0)).toBe(true);
    expect([...skin.index].map((k) => skin.position[k * 3])).toEqual(SQUARE);
  });
  it("cover the same when divided, the same way round, and share the points between them", () => {
    for (const parts of [2, 4, 8]) {
      const skin = skinOf(SQUARE, parts, false);
      expect(skin.index.length).toBe(6 * parts * parts);
      expect(skin.position.length / 3).toBe((parts + 1) ** 2);
      expect(area(skin)).toBeCloseTo(1);
      for (let f = 0; f < skin.index.length; f += 3) expect(area(skin, f, f + 3)).toBeCloseTo(0.5 / parts ** 2);
    }
  });
  it("are doubled and closed by a rim where they are thick", () => {
    const skin = skinOf(SQUARE, 2, true);
    const count = skin.off.length / 2;
    expect([count, skin.off[0], skin.off.at(-1)]).toEqual([9, 1, -1]);
    expect(skin.index.length / 3).toBe(8 + 8 + 2 * 8);
    const sides = new Map<string, number>();
    for (let f = 0; f < skin.index.length; f += 3)
      for (let c = 0; c < 3; c++) {
        const [a, b] = [skin.index[f + c]!, skin.index[f + ((c + 1) % 3)]!];
        const key = [Math.min(a, b), Math.max(a, b)].join();
        sides.set(key, (sides.get(key) ?? 0) + 1);
      }
    expect(new Set(sides.values())).toEqual(new Set([2])); // watertight
  });
});

it("the rim of a mesh is what one triangle alone has", () => {
  expect(rimOf(SQUARE)).toHaveLength(4);
  expect(rimOf([0, 1, 2, 0, 3, 1, 1, 3, 2, 2, 3, 0])).toEqual([]);
});
