import { describe, expect, it } from "vitest";
import type { Packed } from "../api/packed";
import type { Shown } from "../composables/useShown";
import type { Quat } from "../lib/rotation";
import { hitPiece, hitThings } from "./hits";

const QUARTER: Quat = [0, 0, Math.SQRT1_2, Math.SQRT1_2];
const still: Quat = [0, 0, 0, 1];

describe("where a ray meets a piece", () => {
  const packed = {
    vertices: new Float32Array([0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 2, 1, 0, 2, 0, 1, 2]),
    faces: new Uint32Array([0, 1, 2, 3, 4, 5]),
    face_start: new Uint32Array([0, 1, 2]),
  } as unknown as Packed;
  const target = { packed } as unknown as Shown;
  const copy = (more: Partial<Shown["copies"][number]> = {}): Shown["copies"][number] =>
    ({ position: [0, 0, 0], rotation: still, size: 1, ...more }) as Shown["copies"][number];
  it("is the point on its nearest triangle, and of that piece alone", () => {
    expect(hitPiece([0.2, 0.2, -5], [0, 0, 1], target, copy(), 0)!.at).toEqual(
      [0.2, 0.2, 0].map((x) => expect.closeTo(x)),
    );
    expect(hitPiece([0.2, 0.2, -5], [0, 0, 1], target, copy(), 1)!.at).toEqual(
      [0.2, 0.2, 2].map((x) => expect.closeTo(x)),
    );
  });
  it("is none beside it, behind the eye, or along its plane", () => {
    expect(hitPiece([0.9, 0.9, -5], [0, 0, 1], target, copy(), 0)).toBeNull();
    expect(hitPiece([0.2, 0.2, 5], [0, 0, 1], target, copy(), 0)).toBeNull();
    expect(hitPiece([-5, 0.2, 0], [1, 0, 0], target, copy(), 0)).toBeNull();
  });
  it("takes the copy's place, turn and size", () => {
    const at = copy({ position: [10, 0, 0], rotation: QUARTER, size: 3 });
    const hit = hitPiece([9.4, 0.6, -5], [0, 0, 1], target, at, 1)!;
    expect(hit.at.map((x) => Math.round(x * 1e4) / 1e4)).toEqual([9.4, 0.6, 6]);
    expect(hitPiece([10.6, 0.6, -5], [0, 0, 1], target, at, 1)).toBeNull();
  });
  it("faces the eye, from either side of a triangle", () => {
    for (const side of [-1, 1])
      expect(hitPiece([0.2, 0.2, 5 * side], [0, 0, -side], target, copy(), 0)!.normal[2]).toBeCloseTo(side);
    const turned = copy({ rotation: [Math.SQRT1_2, 0, 0, Math.SQRT1_2] }); // z to -y
    expect(hitPiece([0.2, -5, 0.2], [0, 1, 0], target, turned, 0)!.normal[1]).toBeCloseTo(-1);
  });
  it("is the nearest of many things, with how far it is", () => {
    const near = { packed, copies: [copy({ position: [0, 0, -2] })] } as unknown as Shown;
    const far = { packed, copies: [copy({ size: 2 })] } as unknown as Shown;
    const hit = hitThings([0.2, 0.2, -5], [0, 0, 1], [far, near])!;
    expect([hit.distance, hit.at[2]]).toEqual([3, -2].map((x) => expect.closeTo(x)));
    expect(hitThings([0.2, 0.2, -5], [0, 0, 1], [far])!.distance).toBeCloseTo(5);
    expect(hitThings([9, 9, -5], [0, 0, 1], [far, near])).toBeNull();
  });
});
