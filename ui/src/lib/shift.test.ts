import { describe, expect, it } from "vitest";
import type { ShotDocument } from "../api/types";
import { newBody, newField, newTie } from "./document";
import { shift } from "./shift";

function shot(): ShotDocument {
  const cart = newBody("cart", { kind: "box", size: [1, 1, 1], divisions: [1, 1, 1] }, 0.5);
  const key = {
    time: 1,
    position: [3, 0, 0],
    rotation: [0, 0, 0, 1],
    angles: null,
    how: "linear",
    curve: [0, 0, 1, 1],
  };
  cart.motion = { keys: [key] } as never;
  const gale = newField("attractor", "gale", [0, 1, 0], 1);
  gale.channels = [
    { of: "reach.layers.0.shape.center.1", keys: [{ time: 0, value: 5, how: "linear", curve: [0, 0, 1, 1] }] },
    { of: "effect.speed", keys: [{ time: 0, value: 5, how: "linear", curve: [0, 0, 1, 1] }] },
  ];
  return {
    bodies: [cart],
    groups: [],
    fields: [gale],
    falloffs: [],
    maps: [],
    ties: [newTie("string", "rope", "cart", [0, 0, 0], null, [0, 4, 0])],
  } as unknown as ShotDocument;
}

describe("moving things of a document", () => {
  it("moves a body with its keys, a tie with both ends, a reach with the keys of where it is", () => {
    const d = shot();
    for (const [kind, name] of [
      ["body", "cart"],
      ["tie", "rope"],
      ["field", "gale"],
    ] as const)
      shift(d, kind, name, [1, 2, 0]);
    expect(d.bodies[0]!.place!.position).toEqual([1, 2.5, 0]);
    expect(d.bodies[0]!.motion!.keys[0]!.position).toEqual([4, 2, 0]);
    expect([d.ties[0]!.point, d.ties[0]!.to_point]).toEqual([
      [1, 2, 0],
      [1, 6, 0],
    ]);
    expect((d.fields[0]!.reach!.layers![0]!.shape as { center: number[] }).center).toEqual([1, 3, 0]);
    expect(d.fields[0]!.channels!.map((c) => c.keys[0]!.value)).toEqual([7, 5]);
  });
  it("leaves alone what is not there", () => {
    const d = shot();
    const before = structuredClone(d);
    shift(d, "body", "gale", [1, 0, 0]);
    expect(d).toEqual(before);
  });
});
