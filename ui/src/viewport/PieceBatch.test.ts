import { describe, expect, it } from "vitest";
import type { Packed } from "../api/packed";
import type { Shown } from "../composables/useShown";
import { newBody } from "../lib/document";
import { paint, STATE_COLORS, type Paint } from "./paint";
import { PieceBatch } from "./PieceBatch";

/** Pieces of one triangle each, a metre apart along x. */
function packedOf(count: number): Packed {
  const vertices = new Float32Array(count * 9);
  for (let p = 0; p < count; p++) vertices.set([p, 0, 0, p + 0.5, 0, 0, p, 0.5, 0], p * 9);
  return {
    vertices,
    faces: Uint32Array.from({ length: count * 3 }, (_, k) => k),
    face_start: Uint32Array.from({ length: count + 1 }, (_, k) => k),
    skin: new Uint8Array(count).fill(1),
    center: Float32Array.from({ length: count * 3 }, (_, k) => (k % 3 === 0 ? k / 3 + 0.2 : 0)),
    volume: new Float32Array(count).fill(1),
    bond_piece: new Uint32Array([0, 1]),
    bond_area: new Float32Array([1]),
    path: new Uint32Array(count * 4),
  };
}

function thing(name: string, count: number, copies: Shown["copies"]): Shown {
  return {
    name,
    group: copies.length > 1,
    body: newBody(name, { kind: "box", size: [1, 1, 1], divisions: [1, 1, 1] }, 0),
    packed: packedOf(count),
    copies,
  } as unknown as Shown;
}
const at = (x: number, size = 1): Shown["copies"][number] => ({ position: [x, 0, 0], rotation: [0, 0, 0, 1], size });
const plain: Paint = {
  colorBy: "material",
  explode: [0, 0, 0, 0],
  chosen: new Set(),
  hidden: new Set(),
  whole: true,
  picked: new Set(),
  frame: null,
  reach: undefined,
  own: null,
  held: () => false,
  strengths: new Map(),
  brokeAt: new Map(),
};

function laid(): { batch: PieceBatch; shown: Shown[] } {
  const shown = [thing("wall", 3, [at(0)]), thing("crates", 2, [at(10), at(20, 2)])];
  const batch = new PieceBatch({});
  batch.setBodies(shown.map((s) => ({ name: s.name, packed: s.packed, copies: s.copies.length })));
  return { batch, shown };
}

describe("marks of pieces", () => {
  const marks = (batch: PieceBatch): number[] => {
    const { values } = batch as unknown as { values: Float32Array };
    return Array.from({ length: batch.count }, (_, p) => values[p * 12 + 11]!);
  };
  const outlined = (batch: PieceBatch): boolean =>
    (batch as unknown as { outlines: { visible: boolean } }).outlines.visible;
  it("tell the chosen from the one under the pointer, and draw outlines only where there are some", () => {
    const { batch, shown } = laid();
    paint(batch, shown, { ...plain, whole: false });
    expect([marks(batch), outlined(batch)]).toEqual([[0, 0, 0, 0, 0, 0, 0], false]);
    paint(batch, shown, { ...plain, chosen: new Set(["wall"]), picked: new Set([1]) });
    expect([marks(batch), outlined(batch)]).toEqual([[0, 1, 0, 0, 0, 0, 0], true]);
    expect(batch.point(4)).toBe(true);
    expect(batch.point(4)).toBe(false); // nothing to draw again
    expect(marks(batch)).toEqual([0, 1, 0, 0, 2, 0, 0]);
    batch.point(1); // what is chosen stays marked as chosen
    expect(marks(batch)).toEqual([0, 1, 0, 0, 0, 0, 0]);
    batch.point(-1);
    expect(marks(batch)).toEqual([0, 1, 0, 0, 0, 0, 0]);
  });
});

describe("the piece batch", () => {
  it("numbers pieces body after body, copy after copy, and finds them back", () => {
    const { batch } = laid();
    expect([batch.count, batch.first]).toEqual([7, [0, 3, 7]]);
    expect([0, 2, 3, 4, 5, 6].map((p) => batch.locate(p))).toEqual([
      { body: 0, copy: 0, index: 0 },
      { body: 0, copy: 0, index: 2 },
      { body: 1, copy: 0, index: 0 },
      { body: 1, copy: 0, index: 1 },
      { body: 1, copy: 1, index: 0 },
      { body: 1, copy: 1, index: 1 },
    ]);
    expect([batch.locate(-1), batch.locate(7)]).toEqual([null, null]);
  });

  it("puts pieces of the set-up where their copies stand, in their size, exploded by tiers", () => {
    const { batch, shown } = laid();
    paint(batch, shown, plain);
    expect(batch.placeOf(1)[0]).toBeCloseTo(1.2);
    expect(batch.placeOf(4)[0]).toBeCloseTo(11.2);
    expect(batch.placeOf(6)[0]).toBeCloseTo(22.4);
    paint(batch, shown, { ...plain, held: (name, p) => name === "wall" && p === 1 });
    expect([0, 1, 2].map((p) => batch.stateOf(p))).toEqual([2, 0, 2]);
  });

  it("puts pieces of a take where the frame has them, and colours them by their state", () => {
    const { batch, shown } = laid();
    const position = Float32Array.from({ length: 21 }, (_, k) => k);
    const orientation = Float32Array.from({ length: 28 }, (_, k) => (k % 4 === 3 ? 1 : 0));
    const state = new Uint8Array([0, 1, 2, 3, 4, 2, 1]);
    const colored: number[][] = [];
    const color = batch.setColor.bind(batch);
    batch.setColor = (p, r, g, b, chosen) => {
      colored[p] = [r, g, b];
      color(p, r, g, b, chosen);
    };
    const frame = { index: 5, pieces: 7, arrays: { position, orientation, state } };
    paint(batch, shown, { ...plain, colorBy: "state", frame });
    expect(batch.placeOf(4)).toEqual([12, 13, 14]);
    expect(Array.from({ length: 7 }, (_, p) => batch.stateOf(p))).toEqual([...state]);
    expect(colored).toEqual([...state].map((s) => STATE_COLORS[s]));
  });

  it("does not lay a frame of other pieces over these", () => {
    const { batch, shown } = laid();
    const frame = { index: 5, pieces: 2, arrays: { state: new Uint8Array(2), position: new Float32Array(6) } };
    paint(batch, shown, { ...plain, frame });
    expect(batch.placeOf(0)[0]).toBeCloseTo(0.2);
  });
});
