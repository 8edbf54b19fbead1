import { describe, expect, it } from "vitest";
import type { Packed } from "../api/packed";
import { cutOutline } from "./outline";
import { explodedBy, holding, middlesOf, partsOf, pieceFigures } from "./pieces";

/** Four unit cubes in a row, in two chunks of two; volumes 1, 1, 2, 4. */
function row(): Packed {
  return {
    volume: new Float32Array([1, 1, 2, 4]),
    center: new Float32Array([0, 0, 0, 1, 0, 0, 2, 0, 0, 3, 0, 0]),
    path: new Int32Array([0, 0, -1, -1, 0, 1, -1, -1, 1, 0, -1, -1, 1, 1, -1, -1]),
    bond_piece: new Uint32Array([0, 1, 1, 2, 2, 3]),
    bond_area: new Float32Array([1, 1, 1]),
  };
}

/** A tetrahedron whose first face is skin and the others cut. */
function tetrahedron(): Packed {
  return {
    vertices: new Float32Array([0, 0, 0, 1, 0, 0, 0, 1, 0, 0, 0, 1]),
    faces: new Uint32Array([0, 2, 1, 0, 1, 3, 0, 3, 2, 1, 2, 3]),
    face_start: new Uint32Array([0, 4]),
    skin: new Uint8Array([1, 0, 0, 0]),
    center: new Float32Array([0.25, 0.25, 0.25]),
    volume: new Float32Array([1 / 6]),
  };
}

describe("pieces of what deforms", () => {
  it("are those of its patches, in place of its own", () => {
    const own = row();
    expect(partsOf(own)).toBe(own);
    const surface = {
      volume: new Float32Array(),
      part_volume: own.volume,
      part_center: own.center,
      part_path: own.path,
    } as Packed;
    expect(pieceFigures(partsOf(surface)).tiers).toBe(2);
    expect(partsOf(surface)).toBe(partsOf(surface));
  });

  it("lie in the middle of their vertices", () => {
    const at = [
      [0, 0, 0],
      [2, 0, 0],
      [5, 1, 0],
    ];
    expect(middlesOf([0, 0, 2], (v) => at[v]!)).toEqual([
      [1, 0, 0],
      [0, 0, 0],
      [5, 1, 0],
    ]);
  });

  it("are pulled apart by the share asked for on each tier", () => {
    const figures = pieceFigures(row());
    expect(explodedBy(figures, 0, [0, 2, 0, 0])).toEqual([-1, 0, 0]);
    expect(explodedBy(figures, 0, [0, 0, 0, 0])).toEqual([0, 0, 0]);
  });
});

describe("figures of pieces", () => {
  it("knows tiers and the range of sizes", () => {
    const figures = pieceFigures(row());
    expect([...figures.tier]).toEqual([2, 2, 2, 2]);
    expect(figures.tiers).toBe(2);
    expect([figures.low, figures.high]).toEqual([1, 4]);
  });

  it("draws chunks of every tier apart from the one they belong to, weighted by volume", () => {
    const packed = row();
    const { apart } = pieceFigures(packed);
    // the whole's middle is (0 + 1 + 4 + 12) / 8; the first chunk's 0.5, the second's (4 + 12) / 6
    const whole = 17 / 8;
    expect(apart[0]).toBeCloseTo(0.5 - whole);
    expect(apart[3]).toBeCloseTo(0 - 0.5);
    expect(apart[(2 * 4 + 1) * 3]).toBeCloseTo(2 - 16 / 6);
    expect(pieceFigures(packed)).toBe(pieceFigures(packed)); // worked out once
  });

  it("leaves deeper tiers alone for pieces that were not broken again", () => {
    const packed = row();
    (packed.path as Int32Array).set([0, -1, -1, -1], 0);
    const figures = pieceFigures(packed);
    expect(figures.tier[0]).toBe(1);
    expect([...figures.apart.slice(3, 12)].every((x) => x === 0)).toBe(true);
  });
});

describe("what holds a part to the rest", () => {
  it("sums the bonds that cross its border", () => {
    const strength = new Float32Array([10, 20, 40]);
    expect(holding(row(), strength, [0])).toEqual({ bonds: 1, strength: 10, rows: [0] });
    expect(holding(row(), strength, [1, 2])).toEqual({ bonds: 2, strength: 50, rows: [0, 2] });
    expect(holding(row(), strength, [0, 1, 2, 3])).toEqual({ bonds: 0, strength: 0, rows: [] });
  });

  it("counts no bond that is cut, but names it, so that it can be mended", () => {
    expect(holding(row(), new Float32Array([0, 20, 40]), [0])).toEqual({ bonds: 0, strength: 0, rows: [0] });
  });
});

describe("outlines of cut faces", () => {
  it("follow every bent edge that touches a cut, relative to the piece's centre", () => {
    const { position, piece } = cutOutline(tetrahedron());
    expect(piece.length).toBe(12); // six edges, two ends each
    expect(Math.max(...position)).toBeCloseTo(0.75);
    expect(Math.min(...position)).toBeCloseTo(-0.25);
  });

  it("leave the skin's own edges out", () => {
    const all = tetrahedron();
    all.skin = new Uint8Array([1, 1, 1, 1]);
    expect(cutOutline(all).piece).toEqual([]);
  });
});
