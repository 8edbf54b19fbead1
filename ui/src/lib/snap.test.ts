import { describe, expect, it } from "vitest";
import type { Vec } from "./rotation";
import { standing, toCorner, toGrid } from "./snap";

describe("what is dragged", () => {
  it("keeps to lines of the ground", () => {
    expect(toGrid([0.26, 1.74, -0.2], 0.5)).toEqual([0.5, 1.5, -0]);
  });
  it("stands with its lowest point at a height", () => {
    expect(standing([3, 9, 4], 0.75, 2)).toEqual([3, 2.75, 4]);
  });
  it("meets a corner with its nearest own one, or goes free where none is near", () => {
    const own: Vec[] = [
      [-1, 0, 0],
      [1, 0, 0],
    ];
    expect(toCorner([0, 0, 0], own, [1.1, 0.05, 0, 5, 5, 5], 0.2)).toEqual(
      [0.1, 0.05, 0].map((x) => expect.closeTo(x)),
    );
    expect(toCorner([0, 0, 0], own, [1.5, 0, 0], 0.2)).toEqual([0, 0, 0]);
  });
});
