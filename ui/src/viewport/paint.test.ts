import { describe, expect, it } from "vitest";
import type { Packed } from "../api/packed";
import type { ShotDocument, Survey } from "../api/types";
import type { Shown } from "../composables/useShown";
import { newBody } from "../lib/document";
import type { FrameData } from "../lib/frames";
import { between, hexColor, ramp, type Rgb } from "../lib/ramp";
import { bondLines, markLines, oneColor, shapeLines } from "./lines";
import { actedOn, byFields, byMap, byWeight } from "./maps";
import { paint, TIER_COLORS, type Paint } from "./paint";
import type { PieceBatch } from "./PieceBatch";

/** Three pieces of volumes 1, 8 and 64, the first bonded to both others; the last of tier 2. */
const packed = {
  center: new Float32Array([0, 0, 0, 1, 0, 0, 2, 0, 0]),
  volume: new Float32Array([1, 8, 64]),
  bond_piece: new Uint32Array([0, 1, 0, 2]),
  path: new Int32Array([0, -1, -1, -1, 1, -1, -1, -1, 2, 0, -1, -1]),
  face_start: new Uint32Array([0, 0, 0, 0]),
} as unknown as Packed;

const body = newBody("wall", { kind: "box", size: [1, 1, 1], divisions: [1, 1, 1] }, 0);
body.material.look!.color = "#804020";
const wall = {
  name: "wall",
  group: false,
  body,
  packed,
  copies: [{ position: [0, 0, 0], rotation: [0, 0, 0, 1], size: 1 }],
} as unknown as Shown;

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

/** Colours and choices of the pieces, as the batch is given them. */
function painted(how: Partial<Paint>, thing: Shown = wall): { colors: Rgb[]; chosen: boolean[]; changed: number } {
  const out = { colors: [] as Rgb[], chosen: [] as boolean[], changed: 0 };
  const batch = {
    first: [0, 3],
    count: 3,
    setTransform: () => undefined,
    setColor: (p: number, r: number, g: number, b: number, on: boolean) => {
      out.colors[p] = [r, g, b];
      out.chosen[p] = Boolean(on);
    },
    changed: () => out.changed++,
  } as unknown as PieceBatch;
  paint(batch, [thing], { ...plain, ...how });
  return out;
}

const base = hexColor("#804020");

describe("colours of pieces", () => {
  it("are the material's, a little lighter or darker from piece to piece", () => {
    const { colors, changed } = painted({});
    expect(new Set(colors.map((c) => c[0])).size).toBe(3);
    for (const c of colors)
      for (let k = 0; k < 3; k++) {
        expect(c[k]! / base[k]!).toBeGreaterThan(0.92);
        expect(c[k]! / base[k]!).toBeLessThan(1.06);
      }
    expect(changed).toBe(1);
  });
  it("are all alike while a body is shown unbroken", () => {
    const intact = { ...wall, body: { ...body, release: { kind: "intact" } } } as unknown as Shown;
    expect(painted({}, intact).colors).toEqual([base, base, base]);
  });
  it("by piece differ, by tier are the tier's, by size go with the logarithm of the volume", () => {
    expect(new Set(painted({ colorBy: "piece" }).colors.map(String)).size).toBe(3);
    expect(painted({ colorBy: "tier" }).colors).toEqual([TIER_COLORS[1], TIER_COLORS[1], TIER_COLORS[2]]);
    const sizes = painted({ colorBy: "size" }).colors;
    expect(sizes[0]).toEqual(ramp(0));
    expect(sizes[2]).toEqual(ramp(1));
    sizes[1]!.forEach((x, k) => expect(x).toBeCloseTo(ramp(0.5)[k]!));
  });
  it("by strength are the mean of a piece's bonds over the strongest piece", () => {
    const { colors } = painted({ colorBy: "strength", strengths: new Map([["wall", new Float32Array([10, 30])]]) });
    expect(colors).toEqual([ramp(20 / 30), ramp(10 / 30), ramp(1)].map((c) => c.map((x) => expect.closeTo(x))));
  });
  it("by reach are the falloff's value, darkened where it does not reach", () => {
    const { colors } = painted({ reach: [0, 0.5, 1] });
    expect(colors[1]).toEqual(ramp(0.5));
    expect(colors[0]![0]).toBeCloseTo(base[0] * 0.55);
  });
  it("of a map stand before all others, and what the map does not know is dark", () => {
    const { colors } = painted({ colorBy: "tier", own: (p) => (p === 1 ? [0.1, 0.2, 0.3] : null) });
    expect(colors[1]).toEqual([0.1, 0.2, 0.3]);
    expect(colors[0]![2]).toBeCloseTo(base[2] * 0.5);
  });
  it("mark what is chosen: the whole body, or the pieces picked of it", () => {
    expect(painted({ chosen: new Set(["wall"]) }).chosen).toEqual([true, true, true]);
    expect(painted({ chosen: new Set(["wall"]), picked: new Set([2]) }).chosen).toEqual([false, false, true]);
    expect(painted({ chosen: new Set(["wall"]), whole: false }).chosen).toEqual([false, false, false]);
    expect(painted({ chosen: new Set(["other"]) }).chosen).toEqual([false, false, false]);
  });
});

describe("what a take or the survey knows of pieces", () => {
  const document = {
    fields: Array.from({ length: 10 }, (_, k) => ({ name: `f${k}`, effect: { kind: k === 9 ? "strain" : "anchor" } })),
    maps: [{ name: "wet", ramp: "tide" }],
  } as unknown as ShotDocument;
  const frame = {
    index: 3,
    pieces: 2,
    arrays: {
      acted: new Uint8Array([0b101, 0b10, 0, 0]),
      load: new Float32Array([0.25, 1]),
      "map/wet": new Float32Array([0, 1]),
      "tint/wet": new Uint8Array([255, 0, 51, 0, 0, 0]),
    },
  } as unknown as FrameData;
  it("reads fields that acted over more than eight bits", () => {
    expect(actedOn(frame, document, 0)).toEqual(["f0", "f2", "f9"]);
    expect(actedOn(frame, document, 1)).toEqual([]);
    expect(actedOn({ ...frame, arrays: {} } as FrameData, document, 0)).toEqual([]);
  });
  it("colours by the gravest family that acted", () => {
    const colors = { ends: [0, 0, 1], breaks: [1, 0, 0], moves: [0, 1, 0], holds: [1, 1, 1] } as never;
    expect([byFields(frame, document, colors)(0), byFields(frame, document, colors)(1)]).toEqual([[1, 0, 0], null]);
  });
  it("colours by load, and by nothing where a take kept none", () => {
    expect(byWeight(frame)(0)).toEqual(ramp(0.25));
    expect(byWeight({ ...frame, arrays: {} } as FrameData)(0)).toBeNull();
  });
  it("colours a map by its own tint in a take, by its ramp before, and not at all where it is not known", () => {
    expect(byMap(document, "wet", frame, null)!(0)).toEqual([1, 0, 0.2]);
    const survey = { maps: { wet: { values: [0, 1], tint: [] } } } as unknown as Survey;
    const own = byMap(document, "wet", null, survey)!;
    expect(own(1)).not.toEqual(own(0));
    expect(between(["#000000", "#ffffff"], 0.5)).toEqual([0.5, 0.5, 0.5]);
    expect(byMap(document, "wet", null, null)).toBeNull();
  });
});

describe("lines over pieces", () => {
  const batch = { names: ["wall"], first: [0, 3], placeOf: (p: number) => [p, 10, 0] } as unknown as PieceBatch;
  it("join the pieces of bonds, ember where a bond is cut by hand", () => {
    const drawn = bondLines(batch, wall, new Float32Array([0, 8]), undefined)!;
    expect([...drawn.at]).toEqual([0, 10, 0, 1, 10, 0, 0, 10, 0, 2, 10, 0]);
    expect([...drawn.colors.slice(0, 3)]).toEqual([1, 0.3, 0.2].map((x) => expect.closeTo(x)));
    expect([...drawn.colors.slice(3)]).toEqual(ramp(0.85).map((x) => expect.closeTo(x)));
  });
  it("are none while strengths or loads are not known, or are those of pieces built before", () => {
    expect(bondLines(batch, wall, undefined, undefined)).toBeNull();
    expect(bondLines(batch, wall, new Float32Array(3), undefined)).toBeNull();
    expect(bondLines(batch, wall, new Float32Array(2), null)).toBeNull();
    expect(bondLines(batch, wall, new Float32Array(2), new Float32Array(1))).toBeNull();
  });
  it("show collision shapes at every copy, in its size", () => {
    const two = {
      ...wall,
      copies: [
        { position: [0, 0, 0], rotation: [0, 0, 0, 1], size: 1 },
        { position: [0, 5, 0], rotation: [0, 0, 0, 1], size: 2 },
      ],
    } as unknown as Shown;
    const found = { edges: new Float32Array([0, 0, 0, 0.5, 0, 0]), piece: new Int32Array([1]) };
    expect([...shapeLines(two, found)!]).toEqual([1, 0, 0, 1.5, 0, 0, 2, 5, 0, 3, 5, 0]);
    expect(shapeLines(two, { ...found, piece: new Int32Array([3]) })).toBeNull();
  });
  it("show a defect's edges where the body stands, and a point as a small cross", () => {
    const placed = { ...body, place: { ...body.place, position: [1, 0, 0] as [number, number, number] } };
    expect([...markLines(placed, [[0, 0, 0, 0, 2, 0]])]).toEqual([1, 0, 0, 1, 2, 0]);
    expect(markLines(placed, [[0, 1, 0, 0, 1, 0]])).toHaveLength(18);
    expect([...oneColor(new Float32Array(6), [0.5, 0.25, 1])]).toEqual([0.5, 0.25, 1]);
  });
});
