import { describe, expect, it } from "vitest";
import { roundTicks } from "./ticks";

describe("numbers of an axis", () => {
  it.each([
    [0, 10, 5, [0, 2, 4, 6, 8, 10]],
    [-0.3, 0.3, 6, [-0.3, -0.2, -0.1, 0, 0.1, 0.2, 0.3]],
    [1012, 1034, 4, [1020, 1030]],
    [0, 0.00073, 4, [0, 0.0002, 0.0004, 0.0006]],
    [3, 3, 4, []],
  ])("from %d to %d, about %d", (from, to, most, ticks) => {
    expect(roundTicks(from, to, most)).toEqual(ticks);
  });
});
