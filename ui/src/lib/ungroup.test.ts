import { expect, it } from "vitest";
import type { ShotDocument } from "../api/types";
import { newBody, newField } from "./document";
import { ungroup } from "./ungroup";

it("members become bodies where they stood, as large as they were, and stay targets", () => {
  const crate = newBody("crate", { kind: "box", size: [1, 1, 1], divisions: [1, 1, 1] }, 0);
  const gale = { ...newField("wind", "gale", [0, 0, 0], 1), targets: ["crates", "quay"] };
  const document = {
    bodies: [newBody("quay", { kind: "box", size: [9, 1, 9], divisions: [1, 1, 1] }, 0)],
    groups: [{ name: "crates", body: crate, layout: { kind: "line" } }],
    fields: [gale],
    falloffs: [],
    maps: [],
    ties: [],
  } as unknown as ShotDocument;
  const names = ungroup(document, "crates", {
    position: new Float32Array([0, 1, 0, 2, 1, 0]),
    rotation: new Float32Array([0, 0, 0, 1, 0, 1, 0, 0]),
    factor: new Float32Array([1, 0.5]),
  });
  expect(names).toEqual(["crates 1", "crates 2"]);
  expect(document.groups).toEqual([]);
  expect(document.bodies.map((b) => b.name)).toEqual(["quay", "crates 1", "crates 2"]);
  expect(document.bodies[2]!.place).toMatchObject({
    position: [2, 1, 0],
    rotation: [0, 1, 0, 0],
    scale: [0.5, 0.5, 0.5],
  });
  expect(document.fields[0]!.targets).toEqual(["crates 1", "crates 2", "quay"]);
});
