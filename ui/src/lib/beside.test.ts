import { describe, expect, it } from "vitest";
import { wayBeside, type Bounds } from "./beside";

const box = (x: number, wide = 2, y = 0): Bounds => ({ lo: [x - wide / 2, y, -1], hi: [x + wide / 2, y + 2, 1] });

describe("something new", () => {
  it("stays where nothing is, also above or below others", () => {
    expect(wayBeside(box(0), [])).toBe(0);
    expect(wayBeside(box(0), [box(3), box(0, 2, 5)])).toBe(0);
  });
  it("goes beside what stands there, to the right first, and then to the left", () => {
    expect(wayBeside(box(0), [box(0)])).toBeCloseTo(2.4);
    expect(wayBeside(box(0), [box(0), box(2.4)])).toBeCloseTo(-2.4);
    expect(wayBeside(box(0), [box(0), box(2.4), box(-2.4)])).toBeCloseTo(4.8);
  });
});
