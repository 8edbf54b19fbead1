import { describe, expect, it } from "vitest";
import type { ShotDocument } from "../api/types";
import { numberAt, withNumber, withoutNumber } from "./channels";
import { copyKeys, keysOf, pasteKeys, removeKeys, retime } from "./keys";

const key = (time: number, value = 0) => ({
  time,
  value,
  how: "smooth" as const,
  curve: [0.4, 0, 0.6, 1] as [number, number, number, number],
});
const NUMBERS = [
  [-1, 2.0],
  [0.25, 2.625],
  [0.5, 4.0],
  [1, 6.0],
  [2, 5.740740740741],
  [3.5, 5.074074074074],
  [9, 5.0],
] as [number, number][];
const shot = (): ShotDocument =>
  ({
    bodies: [
      { name: "deck", motion: { keys: [{ time: 0 }, { time: 2 }] } },
      { name: "crate", motion: null },
    ],
    falloffs: [],
    fields: [{ name: "gale", channels: [{ of: "effect.speed", keys: [key(0, 5), key(1, 9), key(3, 0)] }] }],
  }) as unknown as ShotDocument;

describe("keys of a shot", () => {
  it("move together, and one that lands on another takes its place", () => {
    const d = shot();
    const all = keysOf(d);
    expect(all.map((k) => `${k.lane} ${k.of} ${k.time}`)).toEqual([
      "body deck  0",
      "body deck  2",
      "field gale effect.speed 0",
      "field gale effect.speed 1",
      "field gale effect.speed 3",
    ]);
    const moved = retime(
      d,
      all.filter((k) => k.time === 1 || k.time === 2),
      (t) => t + 2,
    );
    expect(moved.map((k) => k.time)).toEqual([4, 3]);
    expect(d.fields[0]!.channels![0]!.keys.map((k) => [k.time, k.value])).toEqual([
      [0, 5],
      [3, 9],
    ]);
  });

  it("are scaled in time about the first", () => {
    const d = shot();
    retime(
      d,
      keysOf(d).filter((k) => k.of),
      (t) => 2 * t,
    );
    expect(d.fields[0]!.channels![0]!.keys.map((k) => k.time)).toEqual([0, 2, 6]);
  });

  it("are copied to another time and taken out", () => {
    const d = shot();
    const copies = copyKeys(
      d,
      keysOf(d).filter((k) => k.of && k.time <= 1),
    );
    expect(pasteKeys(d, copies, 5).map((k) => k.time)).toEqual([5, 6]);
    removeKeys(
      d,
      keysOf(d).filter((k) => k.time < 4),
    );
    expect(d.fields[0]!.channels![0]!.keys.map((k) => [k.time, k.value])).toEqual([
      [5, 5],
      [6, 9],
    ]);
    expect(d.bodies[0]!.motion!.keys).toHaveLength(1); // a body stands somewhere
    removeKeys(d, keysOf(d));
    expect(d.fields[0]!.channels).toEqual([]);
  });
});

describe("channels", () => {
  it("give the number between keys", () => {
    // figures from dynaclast.core.fields.stand.number
    const one = withNumber(
      withNumber(withNumber([], "effect.speed", 0, 24, 2), "effect.speed", 1, 24, 6),
      "effect.speed",
      4,
      24,
      5,
    )[0]!;
    for (const [time, value] of NUMBERS) expect(numberAt(one, time)).toBeCloseTo(value, 9);
  });

  it("lose a key at the playhead, and go with their last", () => {
    const two = withNumber(withNumber([], "a", 0, 24, 1), "a", 1, 24, 2);
    expect(withoutNumber(two, "a", 1.01, 24)[0]!.keys).toHaveLength(1);
    expect(withoutNumber(withoutNumber(two, "a", 1, 24), "a", 0, 24)).toEqual([]);
  });
});
