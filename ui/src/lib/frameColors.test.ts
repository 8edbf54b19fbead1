import { describe, expect, it } from "vitest";
import type { ShotDocument } from "../api/types";
import { actedColors, mapColors, packed, speeds, speedShare } from "./frameColors";
import type { Rgb } from "./ramp";

const COLORS = { holds: [0, 1, 0], breaks: [1, 0, 0], moves: [0, 0, 1], ends: [1, 1, 1] } as Record<string, Rgb>;
const fields = ["wind", "strain", "vortex", "push", "drag", "turbulence", "spin", "burst", "kill"].map((kind) => ({
  name: kind,
  effect: { kind },
})) as unknown as ShotDocument["fields"];

describe("colours of vertices in a take", () => {
  it("are packed into one number that floats hold exactly", () => {
    expect([packed([0, 0, 0]), packed([1, 1, 1]), packed(null)]).toEqual([0, 0xffffff, -1]);
    expect(Math.fround(packed([1, 0.5, 1 / 255]))).toBe(0xff8001);
  });
  it("say speeds on a scale of tens, from the frame before", () => {
    expect([speedShare(0), speedShare(0.01), speedShare(30)]).toEqual([0, 0, expect.closeTo(1)]);
    expect(speedShare(0.01 * Math.sqrt(3000))).toBeCloseTo(0.5);
    const of = speeds([0, 0, 0, 1.25, 0, 0], [0, 0, 0, 0, 0, 0], 24);
    expect([of(0), of(1)]).toEqual([0, expect.closeTo(1)]);
  });
  it("are of the family of what acted, breaking before moving, over more than eight fields", () => {
    const color = (...bits: number[]): number => {
      const own = [0, 0];
      for (const b of bits) own[b >> 3]! |= 1 << (b & 7);
      return actedColors([0, 0, ...own], 2, fields, COLORS as never)(1);
    };
    expect([color(), color(0), color(0, 1), color(1, 8)]).toEqual([-1, 0x0000ff, 0xff0000, 0xffffff]);
  });
  it("are those of a map's own ramp, or of its falloff", () => {
    const values = { "value/heat/flag": new Float32Array([0, 1]) } as never;
    const ember = mapColors(values, "flag", "heat", undefined)!;
    const other = mapColors(values, "flag", "heat", "tide")!;
    expect(ember(1)).not.toBe(other(1));
    const tint = { "color/heat/flag": new Uint8Array([0, 0, 0, 255, 128, 0]) } as never;
    expect(mapColors(tint, "flag", "heat", "tide")!(1)).toBe(0xff8000);
    expect(mapColors({} as never, "flag", "heat", "tide")).toBeNull();
  });
});
