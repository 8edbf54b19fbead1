import { describe, expect, it } from "vitest";
import type { Body, ShotDocument } from "../api/types";
import { bringAlong } from "./along";
import { newBody } from "./document";
import { changeMatter } from "./matter";

const layer = (shape: object): object => ({ shape });
function flag(change: (b: Body) => void = () => undefined): Body {
  const body = newBody("flag", { kind: "sheet", size: [2, 2], thickness: 0.01, divisions: [4, 4] }, 2);
  changeMatter(body, "cloth");
  body.pins = [
    {
      reach: {
        layers: [layer({ kind: "box", center: [1, 2, 0], rotation: [0, 0, 0, 1], core: [1, 1, 1], ride: null })],
      },
      cut: 0.5,
      to: null,
    },
  ] as never;
  body.recall = [{ reach: { layers: [], use: "shared" }, rate: 2 }] as never;
  change(body);
  return body;
}
const of = (...bodies: Body[]): ShotDocument => ({ bodies, groups: [] }) as unknown as ShotDocument;
function edited(change: (b: Body) => void, start = flag()): { body: Body; lost: string[] } {
  const now = structuredClone(start);
  change(now);
  return { lost: bringAlong(of(start), of(now)), body: now };
}
const center = (b: Body): number[] => (b.pins[0]!.reach.layers![0]!.shape as { center: number[] }).center;

describe("what goes along with a body", () => {
  it("is what holds it, where it is moved, turned and scaled", () => {
    expect(center(edited((b) => (b.place.position = [5, 2, 1])).body)).toEqual([6, 2, 1]);
    const turned = edited((b) => (b.place.rotation = [0, Math.SQRT1_2, 0, Math.SQRT1_2])).body;
    expect(center(turned)).toEqual([0, 2, -1].map((x) => expect.closeTo(x)));
    expect((turned.pins[0]!.reach.layers![0]!.shape as { rotation: number[] }).rotation[1]).toBeCloseTo(Math.SQRT1_2);
    expect(center(edited((b) => (b.place.scale = [3, 1, 1])).body)).toEqual([3, 2, 0]);
  });
  it("is not what rides on another body, what others use too, or what the edit moved itself", () => {
    const rides = flag((b) => ((b.pins[0]!.reach.layers![0]!.shape as { ride: string }).ride = "cart"));
    expect(center(edited((b) => (b.place.position = [5, 2, 1]), rides).body)).toEqual([1, 2, 0]);
    const both = edited((b) => {
      b.place.position = [5, 2, 1];
      (b.pins[0]!.reach.layers![0]!.shape as { center: number[] }).center = [7, 7, 7];
    });
    expect(center(both.body)).toEqual([7, 7, 7]);
    expect(both.body.recall[0]!.reach).toEqual({ layers: [], use: "shared" });
  });
  it("leaves rigid bodies and those that are new alone", () => {
    const rigid = flag((b) => (b.matter = { kind: "rigid" }));
    expect(center(edited((b) => (b.place.position = [5, 2, 1]), rigid).body)).toEqual([1, 2, 0]);
    expect(center(edited((b) => Object.assign(b, { name: "new" }).place.position).body)).toEqual([1, 2, 0]);
  });
});

describe("the shape a body has settled in", () => {
  const settled = (): Body => flag((b) => (b.opening = { points: "AAAA", drawn: null }));
  it("stays where the body is moved, pinned elsewhere or stiffer", () => {
    for (const change of [
      (b: Body) => (b.place.position = [5, 2, 1]),
      (b: Body) => (b.pins = []),
      (b: Body) => ((b.matter as { stretch: number }).stretch = 5),
    ])
      expect(edited(change, settled())).toMatchObject({ lost: [], body: { opening: { points: "AAAA" } } });
  });
  it("goes where it has other vertices, and that is told", () => {
    for (const change of [
      (b: Body) => ((b.shape as { divisions: number[] }).divisions = [9, 9]),
      (b: Body) => (b.steps = [{ kind: "densify" }] as never),
      (b: Body) => ((b.matter as { tear: number | null }).tear = 5),
    ])
      expect(edited(change, settled())).toMatchObject({ lost: ["flag"], body: { opening: null } });
    const again = edited((b) => {
      (b.shape as { divisions: number[] }).divisions = [9, 9];
      b.opening = { points: "BBBB", drawn: null };
    }, settled());
    expect(again).toMatchObject({ lost: [], body: { opening: { points: "BBBB" } } });
  });
});
