import { describe, expect, it } from "vitest";
import { AROUND, ringsOf, together, tubeOf } from "./rings";

describe("triangles round a vertex", () => {
  it("are told by their other two vertices, in order", () => {
    const rings = ringsOf(4, [0, 1, 2, 0, 2, 3]);
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
    const rings = ringsOf(6, [0, 1, 2, 3, 4, 5], same);
    const of = (v: number): number[] => [...rings.slice(v * 2 * AROUND, v * 2 * AROUND + 4)];
    expect(of(0)).toEqual([1, 2, 4, 5]);
    expect(of(3)).toEqual([4, 5, 1, 2]); // its own triangle before the others
    expect(of(1)).toEqual([2, 0, -1, -1]);
  });
  it("are at most so many", () => {
    const fan = Array.from({ length: 12 }, (_, k) => [0, k + 1, ((k + 1) % 12) + 1]).flat();
    expect([...ringsOf(13, fan).slice(0, 2 * AROUND)].every((v) => v > 0)).toBe(true);
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
