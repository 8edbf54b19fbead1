import { describe, expect, it } from "vitest";
import { AROUND, ringsOf, together, tubeOf } from "./rings";

describe("triangles round a vertex", () => {
  it("are told by their other two vertices, in order", () => {
    const rings = ringsOf(4, [0, 1, 2, 0, 2, 3]).table;
    const of = (v: number): number[] => [...rings.slice(v * 2 * AROUND, v * 2 * AROUND + 4)];
    expect(of(0)).toEqual([1, 2, 2, 3]);
    expect(of(1)).toEqual([2, 0, -1, -1]);
    expect(of(2)).toEqual([0, 1, 3, 0]);
  });
  it("count for all vertices at one place, where each triangle has its own", () => {
    // two triangles of a square, each with three vertices of its own
    const places = [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 0, 0, 1, 1, 0, 0, 1, 0];
    const same = together(places);
    expect([...same]).toEqual([0, 1, 2, 0, 2, 5]);
    const rings = ringsOf(6, [0, 1, 2, 3, 4, 5], { same }).table;
    const of = (v: number): number[] => [...rings.slice(v * 2 * AROUND, v * 2 * AROUND + 4)];
    expect(of(0)).toEqual([1, 2, 4, 5]);
    expect(of(3)).toEqual([4, 5, 1, 2]); // its own triangle before the others
    expect(of(1)).toEqual([2, 0, -1, -1]);
  });
  it("are at most so many", () => {
    const fan = Array.from({ length: 12 }, (_, k) => [0, k + 1, ((k + 1) % 12) + 1]).flat();
    expect([...ringsOf(13, fan).table.slice(0, 2 * AROUND)].every((v) => v > 0)).toBe(true);
  });
});

describe("both sides of a sharp edge", () => {
  /** a cube of shared corners, two triangles a side */
  const cube = Array.from({ length: 8 }, (_, k) => [k & 1, (k >> 1) & 1, (k >> 2) & 1]).flat();
  const sides = [
    [0, 2, 3, 1],
    [4, 5, 7, 6],
    [0, 1, 5, 4],
    [2, 6, 7, 3],
    [0, 4, 6, 2],
    [1, 3, 7, 5],
  ];
  const faces = sides.flatMap(([a, b, c, d]) => [a!, b!, c!, a!, c!, d!]);
  it("have rows of their own", () => {
    const { table, row } = ringsOf(8, faces, { places: cube });
    expect(table.length / (2 * AROUND)).toBe(24); // three sides at every corner
    for (let side = 0; side < 6; side++) {
      const mine = new Set(row.slice(side * 6, side * 6 + 6));
      expect(mine.size).toBe(4);
      for (const r of mine) {
        const round = [...table.slice(r * 2 * AROUND, (r + 1) * 2 * AROUND)].filter((v) => v >= 0);
        expect(round.every((v) => sides[side]!.includes(v))).toBe(true);
      }
    }
  });
  it("have them too where every triangle has vertices of its own", () => {
    const apart = faces.map((_, c) => c);
    const places = faces.flatMap((v) => cube.slice(v * 3, v * 3 + 3));
    const { table, row } = ringsOf(36, apart, { same: together(places), places });
    expect([...row]).toEqual(apart);
    for (let c = 0; c < 36; c++) {
      const round = [...table.slice(c * 2 * AROUND, (c + 1) * 2 * AROUND)].filter((v) => v >= 0);
      expect(round.every((v) => Math.floor(v / 6) === Math.floor(c / 6))).toBe(true);
      expect(round.slice(0, 2)).toEqual([c - (c % 3) + ((c + 1) % 3), c - (c % 3) + ((c + 2) % 3)]);
    }
  });
  it("are one where the surface only bends", () => {
    const bent = [0, 0, 0, 1, 0, 0, 1, 1, 0, 0, 1, 0.4];
    expect([...ringsOf(4, [0, 1, 2, 0, 2, 3], { places: bent }).row]).toEqual([0, 1, 2, 0, 2, 3]);
  });
});

describe("a rope as a tube", () => {
  it("goes through where two segments meet, and ends elsewhere", () => {
    const { position, angle, index } = tubeOf([0, 1, 1, 2], 6);
    const ring = (k: number): number[] => [...position.slice(k * 18, k * 18 + 3)];
    expect([0, 1, 2, 3].map(ring)).toEqual([
      [0, 0, 1],
      [1, 0, 2],
      [1, 0, 2],
      [2, 1, 2],
    ]);
    expect(angle[1]).toBeCloseTo(Math.PI / 3);
    expect([index.length, Math.max(...index)]).toEqual([72, 23]);
  });
  it("does not go through where three meet, nor where it was parted", () => {
    const star = tubeOf([0, 1, 0, 2, 0, 3], 3);
    expect([...star.position.slice(0, 3)]).toEqual([0, 0, 1]);
    const parted = tubeOf([0, 1, 2, 3], 3);
    expect([...parted.position.slice(9, 12)]).toEqual([1, 0, 1]);
  });
});
