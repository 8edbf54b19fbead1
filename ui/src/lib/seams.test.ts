import { describe, expect, it } from "vitest";
import { ramp } from "./ramp";
import type { Vec } from "./rotation";
import { seamLines, seamNear, seamsAs, withCut, type SeamTable } from "./seams";

/** Three seams along x at y 0, 1 and 2; the first of two lines, the last cut. */
const PLACES: Vec[] = [
  [0, 0, 0],
  [1, 0, 0],
  [2, 0, 0],
  [0, 1, 0],
  [2, 1, 0],
  [0, 2, 0],
  [2, 2, 0],
];
const seams: SeamTable = {
  piece: new Int32Array([0, 1, 1, 2, 2, 3]),
  strength: new Float32Array([4, 1, 0]),
  size: new Float32Array([2, 1, 2]),
  line: new Int32Array([0, 1, 1, 2, 3, 4, 5, 6]),
  of: new Int32Array([0, 0, 1, 2]),
};
const place = (v: number): Vec => PLACES[v]!;
const near = (rgb: readonly number[]): unknown[] => rgb.map((x) => expect.closeTo(x, 4));

describe("lines along seams", () => {
  it("lie between drawn vertices, coloured by strength for each metre, cut ones in ember", () => {
    const { at, colors } = seamLines(seams, place, "strength", undefined, []);
    expect([...at.subarray(18, 24)]).toEqual([0, 2, 0, 2, 2, 0]);
    expect([...colors.subarray(0, 3)]).toEqual(near(ramp(0.85)));
    expect([...colors.subarray(0, 3)]).toEqual([...colors.subarray(3, 6)]);
    expect([...colors.subarray(6, 9)]).toEqual(near(ramp(0.5))); // 1 of 2 kN/m
    expect([...colors.subarray(9, 12)]).toEqual(near([1, 0.3, 0.2]));
  });
  it("are coloured by the share that is borne, where that is known, and white where picked", () => {
    const { colors } = seamLines(seams, place, "load", [2, 0.1, 0], [1]);
    expect([...colors.subarray(0, 3)]).toEqual(near(ramp(0.5)));
    expect([...colors.subarray(6, 9)]).toEqual([1, 1, 1]);
    expect([seamsAs("load", false), seamsAs("load", true)]).toEqual(["strength", "load"]);
  });
});

describe("a click on a seam", () => {
  it("means the nearest within reach", () => {
    const at = (x: number, y: number, reach = 0.3): number => seamNear(seams, place, { at: [x, y, 0] }, reach);
    expect([at(1.5, 0.1), at(1.5, 0.8), at(1.5, 1.5), at(2.2, 2), at(2.5, 2)]).toEqual([0, 1, -1, 2, -1]);
    expect(at(1.5, 1.45, 0.6)).toBe(1);
  });
  it("cuts pairs once whichever way round they are named, and mends only those named", () => {
    expect(withCut([[1, 0]], [[0, 1], [2, 3]], false)).toEqual([[0, 1], [2, 3]]); // oxfmt-ignore
    expect(withCut([[1, 0], [2, 3]], [[0, 1]], true)).toEqual([[2, 3]]); // oxfmt-ignore
  });
});
