import { describe, expect, it } from "vitest";
import type { Crossing, ShotDocument } from "../api/types";
import { newBody, newField } from "./document";
import { whyStill } from "./still";

const still = { bonds_broken: [0, 0], moving: [0, 0] };
const wall = newBody("wall", { kind: "box", size: [1, 1, 1], divisions: [1, 1, 1] }, 1);
const blow = newField("strain", "blow", [0, 0, 0], 1);
const shot = (more: Partial<ShotDocument>): ShotDocument =>
  ({ bodies: [wall], groups: [], fields: [blow], ...more }) as unknown as ShotDocument;
const reaches = (field: string, more: Partial<Crossing> = {}): Crossing =>
  ({ field, body: "wall", pieces: 4, of: 9, load_top: 40, strength_low: 210, ...more }) as Crossing;

describe("a take in which nothing happened", () => {
  it("says nothing where something did", () => {
    expect(whyStill(shot({}), { bonds_broken: [0, 1], moving: [0, 0] }, [])).toBe("");
    expect(whyStill(shot({}), { bonds_broken: [0, 0], moving: [0, 3] }, [])).toBe("");
    expect(whyStill(shot({}), {}, [])).toBe("");
  });
  it("names the load beside the weakest bond", () => {
    expect(whyStill(shot({}), still, [reaches("blow")])).toContain(
      "blow loads the bonds with 40 kN at most; the weakest it reaches bears 210",
    );
  });
  it("names what is missing: a body that can move, a field that acts, or pieces in its reach", () => {
    expect(whyStill(shot({ bodies: [{ ...wall, role: "passive" }] as never }), still, [])).toContain(
      "no body is active",
    );
    expect(whyStill(shot({ fields: [] as never }), still, [])).toContain("no field breaks or moves");
    expect(whyStill(shot({}), still, [reaches("blow", { pieces: 0 })])).toContain("blow reaches no piece");
  });
  it("names the anchor that holds all of it", () => {
    const anchor = newField("anchor", "rock", [0, 0, 0], 1);
    const found = [reaches("blow", { load_top: 400 }), reaches("rock")];
    expect(whyStill(shot({ fields: [blow, anchor] as never }), still, found)).toContain("rock holds");
  });
});
