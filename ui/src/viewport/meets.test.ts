import { describe, expect, it } from "vitest";
import type { Vec } from "../lib/rotation";
import { meetFaces, meetLines } from "./meets";

/** two triangles over each other, at z 0 and 2; three numbers a vertex */
const PLACES = [
  [0, 0, 0],
  [1, 0, 0],
  [0, 1, 0],
  [0, 0, 2],
  [1, 0, 2],
  [0, 1, 2],
].flat();
const FACES = [0, 1, 2, 3, 4, 5];
const down: Vec = [0, 0, -1];

describe("where a ray meets what deforms", () => {
  it("is on the first triangle, with the shares of its corners and the nearest of them", () => {
    const met = meetFaces([0.7, 0.2, 5], down, PLACES, FACES)!;
    expect(met.at).toEqual([0.7, 0.2, 2].map((x) => expect.closeTo(x)));
    expect(met.corners).toEqual([3, 4, 5]);
    expect(met.shares).toEqual([0.1, 0.7, 0.2].map((x) => expect.closeTo(x)));
    expect([met.vertex, met.distance]).toEqual([4, expect.closeTo(3)]);
    expect(met.normal).toEqual([0, 0, 1].map((x) => expect.closeTo(x)));
    expect(meetFaces([0.7, 0.2, -5], [0, 0, 1], PLACES, FACES)!.normal[2]).toBeCloseTo(-1); // from below
  });
  it("is none beside it, behind the eye, or along its plane", () => {
    expect(meetFaces([0.9, 0.9, 5], down, PLACES, FACES)).toBeNull();
    expect(meetFaces([0.2, 0.2, -1], down, PLACES, FACES)).toBeNull();
    expect(meetFaces([-5, 0.2, 0], [1, 0, 0], PLACES, [0, 1, 2])).toBeNull();
    expect(meetFaces([0, 0, 5], down, PLACES, [])).toBeNull();
  });
  it("of a rope is the place that the ray passes nearest to", () => {
    const rope = [0, 1, 1, 4]; // along x, then up
    const met = meetLines([0.4, 3, 0.1], [0, -1, 0], PLACES, rope)!;
    expect(met.at).toEqual([0.4, 0, 0].map((x) => expect.closeTo(x)));
    expect(met.corners).toEqual([0, 1]);
    expect(met.vertex).toBe(0);
    expect(meetLines([1.2, 3, 1.9], [0, -1, 0], PLACES, rope)!.vertex).toBe(4);
    expect(meetLines([5, 3, 0], [0, -1, 0], PLACES, rope)!.at[0]).toBeCloseTo(1); // its end
    expect(meetLines([5, 3, 0], [0, -1, 0], PLACES, [])).toBeNull();
  });
  it("of a rope that the ray runs along is one of its places", () => {
    expect(meetLines([-5, 0, 0], [1, 0, 0], PLACES, [0, 1])!.at[1]).toBeCloseTo(0);
  });
});
