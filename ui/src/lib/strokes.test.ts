import { describe, expect, it } from "vitest";
import type { FieldItem } from "../api/types";
import { newBody } from "./document";
import {
  blank,
  coverAt,
  covered,
  coverMore,
  frameOf,
  inFrame,
  over,
  paintedLayer,
  paintOn,
  strokesOf,
  wipe,
  type Stroke,
} from "./strokes";

type Reach = FieldItem["reach"];
const stroke = (more: Partial<Stroke> = {}): Stroke => ({
  points: [
    [0, 0, 0],
    [1, 0, 0],
  ],
  radius: 0.4,
  soft: 0.5,
  strength: 1,
  how: "add",
  mirror: null,
  ...more,
});
const place = (): ReturnType<typeof newBody>["place"] =>
  newBody("x", { kind: "box", size: [1, 1, 1] } as never, 2).place;
const sphere = (): Reach =>
  ({ layers: [{ shape: { kind: "sphere", center: [0, 0, 0], core: 1, edge: 0 } }], use: null }) as unknown as Reach;

describe("a stroke of the brush", () => {
  it("is whole at its line and fades over its soft share, as the core has it", () => {
    // the figures of tests/core/test_painted.py
    const at = (y: number, x = 0.5): number => covered(stroke(), [x, y, 0]);
    expect([at(0), at(0.2), at(0.3), at(0.4), at(0, 1.5)]).toEqual([1, 1, 0.5, 0, 0].map((v) => expect.closeTo(v)));
    expect([coverAt(0.39, 0.4, 0), coverAt(0.41, 0.4, 0)]).toEqual([1, 0]);
  });
  it("of one point is a ball, and its mirror another", () => {
    const dot = stroke({ points: [[1, 0, 0]], radius: 0.2, soft: 0 });
    expect([covered(dot, [1.1, 0, 0]), covered(dot, [-1, 0, 0])]).toEqual([1, 0]);
    expect(covered({ ...dot, mirror: "x" }, [-1, 0, 0])).toBe(1);
    expect(covered({ ...dot, mirror: "y" }, [-1, 0, 0])).toBe(0);
  });
  it("covers the same whether it is asked whole or as it grows", () => {
    const line = [[0, 0, 0], [0.5, 0.2, 0], [1, 0, 0.3], [0.4, -0.1, 0]] as [number, number, number][]; // oxfmt-ignore
    const points = new Float32Array(Array.from({ length: 120 }, (_, k) => 0.5 * Math.sin(1.7 * k * k)));
    const cover = new Float32Array(40);
    line.forEach((_, k) => coverMore(stroke({ points: line.slice(0, k + 1), mirror: "y" }), points, cover));
    const whole = Array.from(cover, (_, v) =>
      covered(stroke({ points: line, mirror: "y" }), [...points.subarray(v * 3, v * 3 + 3)] as never),
    );
    expect([...cover]).toEqual(whole.map((x) => expect.closeTo(x, 5)));
    expect(Math.max(...cover)).toBeGreaterThan(0.5);
  });
  it("adds, removes or sets, within 0 and 1", () => {
    expect(over(0.5, stroke({ strength: 0.25 }), 1)).toBe(0.75);
    expect(over(0.9, stroke(), 1)).toBe(1);
    expect(over(0.5, stroke({ how: "remove", strength: 0.2 }), 1)).toBeCloseTo(0.3);
    expect(over(0.1, stroke({ how: "remove" }), 0.5)).toBe(0);
    expect(over(0.5, stroke({ how: "set", strength: 0.9 }), 0.5)).toBeCloseTo(0.7);
  });
});

describe("painting on a reach", () => {
  it("lays one layer over what there is, where the body stands, and goes on on that", () => {
    const reach = sphere();
    paintOn(reach, stroke(), place());
    paintOn(reach, stroke({ how: "remove" }), { ...place(), position: [9, 9, 9] });
    expect(reach.layers).toHaveLength(2);
    expect(paintedLayer(reach)).toMatchObject({ center: [0, 2, 0], strokes: [{ how: "add" }, { how: "remove" }] });
    expect(reach.layers![1]).toMatchObject({ blend: "normal", opacity: 1 });
    expect([strokesOf(reach), strokesOf(sphere())]).toEqual([2, 0]);
  });
  it("has strokes in the frame of its layer, before there is one in the body's", () => {
    const turned = { ...place(), rotation: [0, Math.SQRT1_2, 0, Math.SQRT1_2] } as never;
    const frame = frameOf(sphere(), turned);
    expect(inFrame(frame, [0, 2, -1])).toEqual([1, 0, 0].map((x) => expect.closeTo(x))); // x of the frame is -z
    const reach = blank(place());
    expect(frameOf(reach, turned)).toEqual({ center: [0, 2, 0], rotation: [0, 0, 0, 1] });
  });
  it("is wiped off, and what lay beneath is there again", () => {
    const reach = sphere();
    paintOn(reach, stroke(), place());
    wipe(reach);
    expect(reach).toEqual(sphere());
    const bare = blank(place());
    paintOn(bare, stroke(), place());
    wipe(bare);
    expect(bare).toEqual(blank(place())); // a falloff needs a layer
  });
});
