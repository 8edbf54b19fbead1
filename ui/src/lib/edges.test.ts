import { describe, expect, it } from "vitest";
import { edgeBox, nearestEdge } from "./edges";
import type { Vec } from "./rotation";

type Box = { center: Vec; core: Vec };
const of = (edge: Parameters<typeof edgeBox>[0], lo: Vec, hi: Vec): Box[] => edgeBox(edge, lo, hi) as Box[];
const holds = (b: Box, p: Vec): boolean => p.every((x, k) => Math.abs(x - b.center[k]!) <= b.core[k]! / 2 + 1e-9);

describe("where something is pinned", () => {
  const hung: [Vec, Vec] = [
    [-1, 1, 0],
    [1, 3, 0],
  ];
  it("is a thin slab along its top, or along a side of what lies flat", () => {
    const [top] = of("top", ...hung);
    expect([holds(top!, [-1, 3, 0]), holds(top!, [1, 3, 0]), holds(top!, [0, 2.9, 0])]).toEqual([true, true, false]);
    const [foot] = of("foot", ...hung);
    expect([holds(foot!, [0, 1, 0]), holds(foot!, [0, 1.2, 0])]).toEqual([true, false]);
    const [side] = of("top", [-1, 2, -1], [1, 2, 1]);
    expect([holds(side!, [1, 2, -1]), holds(side!, [0, 2, 0])]).toEqual([true, false]);
  });
  it("is its four corners, in the plane it lies in", () => {
    const corners = of("corners", ...hung);
    const at: Vec[] = [
      [-1, 1, 0],
      [1, 1, 0],
      [-1, 3, 0],
      [1, 3, 0],
    ];
    expect(at.map((p) => corners.filter((b) => holds(b, p)).length)).toEqual([1, 1, 1, 1]);
    expect(corners.some((b) => holds(b, [0, 3, 0]))).toBe(false);
  });
  it("is both ends of what is long", () => {
    const ends = of("ends", [0, 2, 0], [3, 2, 0]);
    expect(ends.map((b) => b.center[0])).toEqual([0, 3]);
    expect(ends.every((b) => b.core.every((x) => x > 0))).toBe(true);
  });
  it("is the side a click is nearest to", () => {
    for (const [at, side] of [
      [[0.2, 2.95, 0], "top"],
      [[-0.9, 2.2, 0], "left"],
      [[0.3, 1.1, 0], "foot"],
    ] as [Vec, "top"][])
      expect(nearestEdge(at, ...hung)).toEqual(edgeBox(side, ...hung)[0]);
  });
});
