import { describe, expect, it } from "vitest";
import type { ShotDocument } from "../api/types";
import { stepsOf, withoutRefused } from "./refused";

const good = {
  name: "a",
  bodies: [
    { name: "wall", material: { density: 2400 }, shape: { kind: "box", size: [1, 1, 1] } },
    { name: "door", material: { density: 700 }, shape: { kind: "box", size: [1, 2, 1] } },
  ],
  fields: [{ name: "gale", reach: { layers: [{ shape: { kind: "sphere", core: 1 } }] } }],
} as unknown as ShotDocument;

// eslint-disable-next-line @typescript-eslint/no-explicit-any -- documents made wrong on purpose
type Loose = any;
const changed = (change: (d: Loose) => void): ShotDocument => {
  const d = structuredClone(good);
  change(d);
  return d;
};

describe("a refused value", () => {
  it("is found by the server's words for its place", () => {
    expect(stepsOf("fields[0].reach.layers[1].shape")).toEqual(["fields", 0, "reach", "layers", 1, "shape"]);
  });
  it("becomes the last good one, and nothing else changes", () => {
    const now = changed((d) => {
      d.bodies[1].material.density = -4;
      d.name = "b";
    });
    const out = withoutRefused(now, good, "bodies[1].material.density")!;
    expect(out).toEqual(changed((d) => (d.name = "b")));
    expect((now.bodies as Loose)[1].material.density).toBe(-4);
  });
  it("is that of the same body, wherever it stands in the list now", () => {
    const now = changed((d) => {
      d.bodies.reverse();
      d.bodies[0].material.density = 0;
    });
    expect((withoutRefused(now, good, "bodies[0].material.density")!.bodies as Loose)[0].material.density).toBe(700);
  });
  it("goes with the layer or body that is new", () => {
    const now = changed((d) => d.fields[0].reach.layers.push({ shape: { kind: "expression", text: "(" } }));
    expect(withoutRefused(now, good, "fields[0].reach.layers[1].shape.text")).toEqual(good);
    const more = changed((d) => d.bodies.push({ name: "new", material: { density: 0 } }));
    expect(withoutRefused(more, good, "bodies[2].material.density")).toEqual(good);
  });
  it("goes with the whole shape where that has become another kind", () => {
    const now = changed((d) => (d.bodies[0].shape = { kind: "sphere", radius: -1 }));
    expect(withoutRefused(now, good, "bodies[0].shape.radius")).toEqual(good);
  });
  it("of no place in the document cannot be put aside", () => {
    expect(withoutRefused(good, good, "")).toBeNull();
    expect(
      withoutRefused(
        changed((d) => (d.extra = 1)),
        good,
        "extra",
      ),
    ).toBeNull();
  });
});
