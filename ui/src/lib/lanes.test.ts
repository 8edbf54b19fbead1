import { describe, expect, it } from "vitest";
import type { ShotDocument } from "../api/types";
import { newBody, newField } from "./document";
import { channelWord, lanesOf, opens, type Lane } from "./lanes";

function shot(fields: number): ShotDocument {
  const all = Array.from({ length: fields }, (_, k) => newField("push", `push ${k}`, [0, 1, 0], 1));
  const key = { time: 0, value: 1, how: "smooth", curve: [0.4, 0, 0.6, 1] };
  for (const of of ["reach.layers.0.shape.center.1", "reach.layers.0.shape.center.0", "effect.speed"])
    (all[0]!.channels as unknown[]).push({ of, keys: [key] });
  return {
    bodies: [newBody("wall", { kind: "box" } as never, 1)],
    groups: [],
    fields: all,
    falloffs: [],
    ties: [],
  } as never;
}
const ids = (lanes: readonly { id: string }[]): string[] => lanes.map((l) => l.id);

describe("the lanes of the sheet", () => {
  it("open into one for each keyed number, in the order of their names", () => {
    const d = shot(2);
    expect(ids(lanesOf(d, []))).toEqual(["field push 0", "field push 1"]);
    expect(ids(lanesOf(d, [], ["field push 0"]))).toEqual([
      "field push 0",
      "field push 0|effect.speed",
      "field push 0|reach.layers.0.shape.center.0",
      "field push 0|reach.layers.0.shape.center.1",
      "field push 1",
    ]);
    expect(lanesOf(d, []).map((l) => opens(d, l as Lane))).toEqual([true, false]);
  });
  it("fold by families that are large, with the count of fields and not of numbers", () => {
    const d = shot(3);
    expect(ids(lanesOf(d, ["move"], ["field push 0"]))).toEqual(["family move"]);
    expect(lanesOf(d, [], ["field push 0"])[0]).toMatchObject({ kind: "family", count: 3, folded: false });
  });
  it.each([
    ["reach.layers.0.shape.center.2", "center z"],
    ["effect.speed", "speed"],
    ["material.friction", "friction"],
    ["layers.1.shape.core", "core"],
  ])("name %s %s", (of, word) => expect(channelWord(of)).toBe(word));
});
