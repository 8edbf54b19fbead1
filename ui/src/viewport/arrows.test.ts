import { describe, expect, it } from "vitest";
import { drawArrows } from "./arrows";

describe("arrows", () => {
  it("are as long as the root of their share, and point along the pull", () => {
    const drawn = drawArrows(
      [
        [4, 0, 0],
        [0, 0, -1],
        [0, 0, 0],
      ],
      (p) => [p, 0, 0],
      2,
    )!;
    expect(drawn.ends.length).toBe(2 * 3 * 6); // two arrows of three segments
    expect([...drawn.ends.slice(0, 6)]).toEqual([0, 0, 0, 2, 0, 0]);
    expect([...drawn.ends.slice(18, 24)]).toEqual([1, 0, 0, 1, 0, -1]);
    expect(drawn.colors.length).toBe(2 * 3 * 3);
  });

  it("are none where nothing is pulled", () => expect(drawArrows([[0, 0, 0]], () => [0, 0, 0], 1)).toBeNull());
});
