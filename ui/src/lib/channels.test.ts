import { describe, expect, it } from "vitest";
import { keyedAt, numberAt, withMove, withoutNumber } from "./channels";

describe("a number keyed by moving", () => {
  it("keeps what it was until then as a key at the start", () => {
    const channels = withMove([], "x", 2, 24, 9, 4);
    expect(channels[0]!.keys.map((k) => [k.time, k.value])).toEqual([
      [0, 4],
      [2, 9],
    ]);
    expect(numberAt(channels[0]!, 1)).toBeCloseTo(6.5);
    expect(withMove(channels, "x", 3, 24, 1, 9)[0]!.keys).toHaveLength(3);
    expect(withMove([], "x", 0, 24, 9, 4)[0]!.keys.map((k) => k.value)).toEqual([9]);
  });
  it("goes with its last key", () => {
    const channels = withMove([], "x", 0, 24, 9, 4);
    expect(withoutNumber(channels, "x", 0, 24)).toEqual([]);
  });
});

it("a thing is known as its keys have it at a time", () => {
  const channels = withMove([], "effect.load", 2, 24, 9, 4);
  const field = { effect: { load: 4 }, channels };
  expect(keyedAt(field, 2).effect.load).toBe(9);
  expect(keyedAt(field, 0).effect.load).toBe(4);
  expect(field.effect.load).toBe(4);
  const bare = { effect: { load: 4 }, channels: [] };
  expect(keyedAt(bare, 1)).toBe(bare);
});
