import { describe, expect, it } from "vitest";
import { changeAlike, differing } from "./alike";

const body = (name: string, x: number, more: object = {}): Record<string, unknown> => ({
  name,
  place: { position: [x, 0, 0], rotation: [0, 0, 0, 1] },
  material: { density: 1000, friction: 0.5 },
  shape: { kind: "box", size: [1, 1, 1] },
  ...more,
});

describe("an edit done to several alike", () => {
  it("changes what it changed, and only that", () => {
    const before = body("a", 1);
    const after = { ...body("a", 1), place: { position: [1, 2, 0], rotation: [0, 0, 0, 1] } };
    const others = [body("b", 5), body("c", 7, { material: { density: 20, friction: 0.1 } })];
    changeAlike(before, after, others);
    expect(others.map((o) => (o.place as { position: number[] }).position)).toEqual([
      [5, 2, 0],
      [7, 2, 0],
    ]);
    expect(others[1]!.material).toEqual({ density: 20, friction: 0.1 });
    expect(others.map((o) => o.name)).toEqual(["b", "c"]);
  });

  it("takes a turn whole, and copies rather than shares it", () => {
    const after = { ...body("a", 1), place: { position: [1, 0, 0], rotation: [0, 1, 0, 0] } };
    const other = body("b", 5);
    changeAlike(body("a", 1), after, [other]);
    const { rotation } = other.place as { rotation: number[] };
    expect(rotation).toEqual([0, 1, 0, 0]);
    expect(rotation).not.toBe(after.place.rotation);
  });

  it("leaves another kind alone, but makes it the same kind where the kind was chosen", () => {
    const sphere = body("b", 5, { shape: { kind: "sphere", radius: 2 } });
    const wider = { ...body("a", 1), shape: { kind: "box", size: [4, 1, 1] } };
    changeAlike(body("a", 1), wider, [sphere]);
    expect(sphere.shape).toEqual({ kind: "sphere", radius: 2 });
    changeAlike(body("a", 1), { ...body("a", 1), shape: { kind: "cone", height: 1 } }, [sphere]);
    expect(sphere.shape).toEqual({ kind: "cone", height: 1 });
  });

  it("takes a shared falloff whole, with none of the layers there were, and leaves keys of places alone", () => {
    const reach = (layers: number, use: string | null): object => ({
      layers: Array.from({ length: layers }, () => ({ shape: { kind: "sphere" } })),
      use,
    });
    const other = { name: "b", reach: reach(2, null), motion: null };
    changeAlike({ name: "a", reach: reach(1, null) }, { name: "a", reach: reach(0, "near"), motion: { keys: [1] } }, [
      other,
    ]);
    expect(other).toEqual({ name: "b", reach: { layers: [], use: "near" }, motion: null });
  });

  it("keys a number of each for itself, and leaves lists of parts to their own", () => {
    const key = (of: string, value: number): object => ({ of, keys: [{ time: 0, value }] });
    const before = body("a", 1, { channels: [key("spin", 1)], tiers: [{ low: 1 }] });
    const after = body("a", 1, { channels: [key("spin", 1), key("glow", 2)], tiers: [{ low: 1 }, { low: 2 }] });
    const other = body("b", 2, { channels: [key("drag", 3)], tiers: [{ low: 9 }] });
    changeAlike(before, after, [other]);
    expect(other.channels).toEqual([key("drag", 3), key("glow", 2)]);
    expect(other.tiers).toEqual([{ low: 9 }]);
    changeAlike(after, before, [other]);
    expect(other.channels).toEqual([key("drag", 3)]);
  });

  it("says in what they differ", () => {
    expect(differing([body("a", 1), body("b", 1)])).toEqual([]);
    expect(differing([body("a", 1), body("b", 2, { material: { density: 3, friction: 0.5 } })])).toEqual([
      "position",
      "material",
    ]);
  });
});
