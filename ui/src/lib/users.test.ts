import { describe, expect, it } from "vitest";
import type { Body, SharedFalloff, ShotDocument } from "../api/types";
import { actedOn, byFields, byMap } from "../viewport/maps";
import { markLines, oneColor } from "../viewport/lines";
import {
  arrowUnit,
  filled,
  isStill,
  newBody,
  newFalloffBody,
  newField,
  newLayer,
  newMap,
  replaceUse,
  usersOf,
} from "./document";

const spot = {
  name: "spot",
  layers: [newLayer([1, 2, 3], 2)],
  strength: 0.5,
  limits: [0, 1],
  channels: [],
} as unknown as SharedFalloff;

function body(): Body {
  const out = newBody("wall", { kind: "box", size: [1, 1, 1], divisions: [1, 1, 1] }, 2);
  out.pattern = { kind: "cells", count: 9, crowd: { by: 8, reach: { use: "spot", layers: [] } } } as never;
  out.bonds = { strength: 1, by_reach: { low: 1, high: 2, reach: { use: "spot", layers: [] } } } as never;
  return out;
}

function shot(): ShotDocument {
  const push = newField("push", "push", [0, 0, 0], 1);
  push.reach = { layers: [], use: "spot", strength: 1, limits: [0, 1] };
  return {
    bodies: [body()],
    groups: [],
    fields: [push, newField("anchor", "hold", [0, 0, 0], 1)],
    falloffs: [spot],
    maps: [newMap("wet", "spot", [0, 0, 0], 1)],
  } as unknown as ShotDocument;
}

describe("a shared falloff", () => {
  it("is filled into the bodies that use it, with where they stand; bond strengths are in the world already", () => {
    const full = filled(body(), [spot], true) as unknown as Record<
      string,
      Record<string, Record<string, Record<string, unknown>>>
    >;
    expect(full.pattern!.crowd!.reach!.given).toEqual({ layers: spot.layers, strength: 0.5, limits: [0, 1] });
    expect(full.pattern!.crowd!.reach!.stands).toEqual({ position: [0, 2, 0], rotation: [0, 0, 0, 1] });
    expect(full.bonds!.by_reach!.reach!.stands).toBeNull();
    const plain = newBody("b", { kind: "sphere", radius: 1, segments: 8 }, 1);
    expect(filled(plain, [spot], true)).toBe(plain);
  });
  it("names its users, and they follow a rename or take it over", () => {
    const d = shot();
    expect(usersOf(d, "spot")).toEqual(["push", "wet", "break of wall", "strength of wall"]);
    replaceUse(d, "spot", (reach) => (reach.use = "mark"));
    expect(usersOf(d, "spot")).toEqual([]);
    expect(usersOf(d, "mark")).toHaveLength(4);
  });
  it("can be used where nothing moves only if all its layers stand alone", () => {
    expect(isStill(spot.layers as never)).toBe(true);
    expect(isStill([{ ...newLayer([0, 0, 0], 1), shape: { kind: "trail", rise: 0, fall: 1 } }] as never)).toBe(false);
  });
  it("gives a mesh in a box that holds all of it", () => {
    const made = newFalloffBody("m", spot).shape as unknown as { center: number[]; size: number[] };
    const shape = spot.layers[0]!.shape as unknown as { core: number; edge: number };
    expect(made.center).toEqual([1, 2, 3]);
    expect(made.size[0]).toBeCloseTo(2 * (shape.core + shape.edge));
  });
});

describe("what a take knows of pieces", () => {
  const frame = {
    index: 1,
    pieces: 3,
    arrays: { acted: new Uint8Array([1, 2, 3]), "map/wet": new Float32Array([0, 0.5, 1]) },
  };
  it("reads acting fields bit by bit, and gives breaking the colour before holding", () => {
    const d = shot();
    expect([0, 1, 2].map((p) => actedOn(frame, d, p))).toEqual([["push"], ["hold"], ["push", "hold"]]);
    expect(actedOn({ ...frame, arrays: {} }, d, 2)).toEqual([]);
    const color = byFields(frame, d, { holds: [0, 1, 0], breaks: [1, 0, 0], moves: [0, 0, 1], ends: [1, 1, 1] });
    expect([0, 1, 2].map((p) => color(p))).toEqual([
      [0, 0, 1],
      [0, 1, 0],
      [0, 0, 1],
    ]);
  });
  it("colours a map from the low to the high end of its ramp", () => {
    const color = byMap(shot(), "wet", frame, null)!;
    expect(color(0)).not.toEqual(color(2));
    expect(color(2)![0]).toBeCloseTo(1, 2); // the ember ramp ends in a warm white
    expect(byMap(shot(), "none", frame, null)).toBeNull();
  });
});

describe("lines and units", () => {
  it("marks a point by a cross at the body's place", () => {
    const at = markLines(newBody("b", { kind: "sphere", radius: 1, segments: 8 }, 5), [[1, 0, 0, 1, 0, 0]]);
    expect(at).toHaveLength(18);
    expect(at[1]).toBeCloseTo(5);
    expect([...oneColor(at, [0.5, 0, 1])].slice(0, 3)).toEqual([0.5, 0, 1]);
  });
  it("says what the arrows of a field are measured in", () => {
    expect(
      ["gravity", "push", "displace"].map((kind) => arrowUnit(newField(kind as "push", "f", [0, 0, 0], 1))),
    ).toEqual(["m/s²", "m/s", "m"]);
  });
});
