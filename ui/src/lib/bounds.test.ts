import { describe, expect, it } from "vitest";
import { takeIn } from "./bounds";
import { fromAngles, type Vec } from "./rotation";

describe("bounds", () => {
  it("follow turn, size and place, wherever the mesh's own origin lies", () => {
    const bar = [0, 0, 0, 2, 1, 0]; // stands beside its origin
    const lo: Vec = [Infinity, Infinity, Infinity];
    const hi: Vec = [-Infinity, -Infinity, -Infinity];
    takeIn(bar, [{ position: [5, 0, 0], rotation: fromAngles([0, 0, 90]), size: 2 }], lo, hi);
    expect(lo.map((x) => Number(x.toFixed(9)) + 0)).toEqual([3, 0, 0]);
    expect(hi.map((x) => Number(x.toFixed(9)) + 0)).toEqual([5, 4, 0]);
  });
});
