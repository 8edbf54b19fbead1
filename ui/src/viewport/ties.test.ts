import { describe, expect, it } from "vitest";
import type { Packed } from "../api/packed";
import type { Body, Tie } from "../api/types";
import type { Shown } from "../composables/useShown";
import { newBody, newTie } from "../lib/document";
import type { FrameData } from "../lib/frames";
import type { Quat, Vec } from "../lib/rotation";
import type { PieceBatch } from "./PieceBatch";
import { drawTies, tieEnds, type TieEnds } from "./ties";

const QUARTER: Quat = [0, 0, Math.SQRT1_2, Math.SQRT1_2];
/** Two bodies, of two pieces and of one. */
const batch = { names: ["door", "frame"], first: [0, 2, 3], count: 3 } as unknown as PieceBatch;

function frame(index: number, position: number[], orientation: Quat[]): FrameData {
  return {
    index,
    pieces: 3,
    arrays: { position: new Float32Array(position), orientation: new Float32Array(orientation.flat()) },
  } as unknown as FrameData;
}

function thing(body: Body): Shown {
  return { name: body.name, body, packed: {} as Packed, copies: [] } as unknown as Shown;
}

function shown(change: (b: Body) => void = () => undefined): Shown[] {
  const door = newBody("door", { kind: "box", size: [1, 1, 1], divisions: [1, 1, 1] }, 0);
  change(door);
  return [thing(door), thing(newBody("frame", { kind: "box", size: [1, 1, 1], divisions: [1, 1, 1] }, 0))];
}

const still: Quat = [0, 0, 0, 1];
const opening = frame(0, [0, 0, 0, 5, 0, 0, 0, 3, 0], [still, still, still]);
const tie = (kind: Tie["how"]["kind"], point: Vec, to: string | null = null): Tie =>
  newTie(kind, "t", "door", point, to, [0, 4, 0]);

describe("where ties are", () => {
  it("is where the document says, before a run", () => {
    const [one] = tieEnds(batch, shown(), [tie("pin", [1, 2, 3])], null, 0, new Set());
    expect(one!.ends).toEqual([
      [1, 2, 3],
      [1, 2, 3],
    ]);
  });
  it("goes with the piece nearest to the point, as it has moved and turned", () => {
    const now = frame(9, [0, 0, 0, 5, 7, 0, 0, 3, 0], [still, QUARTER, still]);
    const [one] = tieEnds(batch, shown(), [tie("string", [6, 0, 0], "frame")], { now, opening }, 0, new Set());
    expect(one!.ends[0]!.map((x) => Math.round(x * 1e5) / 1e5)).toEqual([5, 8, 0]);
    expect(one!.ends[1]).toEqual([0, 4, 0]);
  });
  it("turns a hinge's axis with its body", () => {
    const now = frame(9, [0, 0, 0, 5, 0, 0, 0, 3, 0], [QUARTER, QUARTER, still]);
    const hinge = tie("hinge", [0, 0, 0]);
    (hinge.how as { axis: Vec }).axis = [2, 0, 0];
    const [one] = tieEnds(batch, shown(), [hinge], { now, opening }, 0, new Set());
    expect(one!.axis.map((x) => Math.round(x * 1e6) / 1e6)).toEqual([0, 1, 0]);
  });
  it("leaves out what is off and what has given way", () => {
    const off = { ...tie("pin", [0, 0, 0]), on: false };
    expect(tieEnds(batch, shown(), [off, tie("pin", [0, 0, 0])], null, 0, new Set(["t"]))).toEqual([]);
  });
  it("follows an animated body in the set-up", () => {
    const moving = shown((b) => {
      b.role = "animated";
      b.velocity = [2, 0, 0];
    });
    const [one] = tieEnds(batch, moving, [tie("pin", [0, 1, 0])], null, 3, new Set());
    expect(one!.ends).toEqual([
      [6, 1, 0],
      [0, 1, 0],
    ]);
  });
});

describe("how ties are drawn", () => {
  const ends = (kind: TieEnds["kind"], b: Vec = [0, 0, 0]): TieEnds => ({
    name: "t",
    kind,
    ends: [[0, 0, 0], b],
    axis: [0, 0, 1],
  });
  const segments = (kind: TieEnds["kind"], b?: Vec): number =>
    drawTies([ends(kind, b)], 1, () => [1, 0, 0]).ends.length / 6;
  it("each kind by its own figure, and a line where its ends have come apart", () => {
    expect([segments("string", [1, 0, 0]), segments("hinge"), segments("pin"), segments("weld")]).toEqual([
      7, 21, 3, 12,
    ]);
    expect([segments("pin", [0, 0.1, 0]), segments("weld", [0, 0.1, 0])]).toEqual([4, 13]);
  });
  it("a hinge's ring lies across its axis, at one distance", () => {
    const at = drawTies([ends("hinge")], 2, () => [1, 0, 0]).ends.subarray(6);
    for (let k = 0; k < at.length; k += 3) {
      expect(at[k + 2]).toBeCloseTo(0);
      expect(Math.hypot(at[k]!, at[k + 1]!)).toBeCloseTo(1.4);
    }
  });
  it("in the colour it is given, one for each segment", () => {
    const out = drawTies([ends("pin"), { ...ends("weld"), name: "u" }], 1, (n) => (n === "t" ? [1, 0, 0] : [0, 1, 0]));
    expect(out.colors.length).toBe(out.ends.length / 2);
    expect([...out.colors.slice(0, 3), ...out.colors.slice(-3)]).toEqual([1, 0, 0, 0, 1, 0]);
  });
});
