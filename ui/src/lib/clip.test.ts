import { describe, expect, it } from "vitest";
import type { FieldItem, ShotDocument } from "../api/types";
import { clipOf, isEmpty, paste } from "./clip";
import { newBody, newField, newTie } from "./document";

const box = (name: string) => newBody(name, { kind: "box", size: [1, 1, 1], divisions: [1, 1, 1] }, 0.5);

function shot(): ShotDocument {
  const gale = newField("wind", "gale", [0, 0, 0], 1);
  gale.targets = ["wall", "roof"];
  const tug = newField("attractor", "tug", [0, 0, 0], 1);
  tug.reach = { layers: [], use: "spot", strength: 1, limits: [0, 1] };
  tug.aim = "gale";
  return {
    name: "s",
    bodies: [box("wall"), box("roof")],
    groups: [],
    fields: [gale, tug],
    ties: [
      newTie("pin", "nail", "wall", [0, 1, 0], "roof", null),
      newTie("pin", "stay", "wall", [0, 1, 0], null, null),
    ],
    falloffs: [{ name: "spot", layers: [], strength: 1, limits: [0, 1], channels: [] }],
    maps: [],
  } as unknown as ShotDocument;
}
const empty = (): ShotDocument =>
  ({ name: "e", bodies: [], groups: [], fields: [], ties: [], falloffs: [], maps: [] }) as unknown as ShotDocument;

describe("a copy of things", () => {
  it("has the ties between them and the falloffs they use", () => {
    const clip = clipOf(shot(), [
      { kind: "body", name: "wall" },
      { kind: "body", name: "roof" },
      { kind: "field", name: "tug" },
    ]);
    expect(clip.ties.map((t) => t.name)).toEqual(["nail", "stay"]);
    expect(clip.falloffs.map((f) => f.name)).toEqual(["spot"]);
    expect(isEmpty(clipOf(shot(), []))).toBe(true);
  });
  it("gets free names beside the originals, and what belongs together goes on belonging together", () => {
    const d = shot();
    const clip = clipOf(d, [
      { kind: "body", name: "wall" },
      { kind: "field", name: "gale" },
      { kind: "field", name: "tug" },
    ]);
    const { fresh, lost } = paste(d, clip, [2, 0, 0]);
    expect(lost).toEqual([]);
    expect(fresh.map((x) => x.name)).toEqual(["wall 2", "gale 2", "tug 2", "stay 2"]);
    expect(d.bodies[2]!.place!.position).toEqual([2, 0.5, 0]);
    const gale = d.fields[2] as FieldItem;
    expect(gale.targets).toEqual(["wall 2", "roof"]);
    expect((d.fields[3] as FieldItem).aim).toBe("gale 2");
    expect(d.ties.at(-1)).toMatchObject({ name: "stay 2", body: "wall 2", to: null, point: [2, 1, 0] });
    expect(d.falloffs).toHaveLength(1); // the same one is used on
    expect((d.bodies[0] as { name: string }).name).toBe("wall");
  });
  it("in another shot leaves out what is not there", () => {
    const d = empty();
    const { lost } = paste(
      d,
      clipOf(shot(), [
        { kind: "field", name: "gale" },
        { kind: "field", name: "tug" },
        { kind: "tie", name: "nail" },
      ]),
    );
    expect((d.fields[0] as FieldItem).targets).toBe("all");
    expect(lost.sort()).toEqual(["roof", "wall"]);
    expect([d.ties, d.falloffs.length]).toEqual([[], 1]);
    const alone = empty();
    paste(alone, clipOf(shot(), [{ kind: "field", name: "tug" }]));
    expect((alone.fields[0] as FieldItem).aim).toBeNull();
  });
});
