import { describe, expect, it } from "vitest";
import type { Body, Pattern } from "../api/types";
import { newBody, SHAPES } from "./document";
import { breakBody, changeMatter, leadsTo, MATTER_SPECS, newBonds, possible, takeMatter } from "./matter";

const body = (kind: string): Body => newBody("b", SHAPES[kind]!(), 1);

describe("changing what a body is made of", () => {
  it("keeps what makes sense, and says what does not", () => {
    const b = body("box");
    Object.assign(b, { role: "passive", spin: [0, 1, 0], pattern: { kind: "faces" }, bonds: { unit: "kN/m2" } });
    expect(changeMatter(b, "soft")).toEqual(["its role", "its pattern"]);
    expect([b.role, b.spin, b.pattern, b.bonds]).toEqual(["active", [0, 1, 0], null, null]);
    expect((b.shape as { divisions: number[] }).divisions).toEqual([8, 8, 8]); // so that it can bend
  });
  it("gives strengths the unit of what pieces meet along", () => {
    const b = body("sheet");
    Object.assign(b, { pattern: { kind: "cells" }, bonds: { unit: "kN/m2" } });
    expect(changeMatter(b, "cloth")).toEqual([]);
    expect([b.bonds!.unit, b.pattern!.kind]).toEqual(["kN/m", "cells"]);
    changeMatter(b, "rigid");
    expect([b.bonds!.unit, b.matter]).toEqual(["kN/m2", { kind: "rigid" }]);
  });
  it("takes pins and weights from what gets rigid", () => {
    const b = body("sheet");
    changeMatter(b, "cloth");
    b.pins.push({} as never);
    expect(changeMatter(b, "rigid")).toEqual(["pins"]);
    expect(b.pins).toEqual([]);
  });
  it("leaves a line to be a rope alone", () => {
    expect((["rigid", "cloth", "soft", "rope"] as const).map((k) => possible(body("line"), k))).toEqual([
      false,
      false,
      false,
      true,
    ]);
    expect(possible(body("box"), "rope")).toBe(true);
  });
  it("is filled by a preset of its kind, and by no other", () => {
    const b = body("sheet");
    changeMatter(b, "cloth");
    const silk = { name: "silk", density: 500, friction: 0.3, matter: { cloth: { weight: 0.045 } } };
    takeMatter(b, silk);
    expect(b.matter).toMatchObject({ kind: "cloth", preset: "silk", weight: 0.045, stretch: 50 });
    expect([b.material.density, b.material.friction]).toEqual([500, 0.3]);
    takeMatter(b, { ...silk, name: "gel", matter: { soft: { young: 20 } } });
    expect(b.matter).toMatchObject({ preset: "silk" });
  });
});

describe("breaking a whole body", () => {
  const cells = { kind: "cells", count: 9 } as unknown as Pattern;
  it("joins its pieces by bonds that all that acts on it loads", () => {
    const b = body("box");
    expect(breakBody(b, cells)).toEqual([]);
    expect([b.pattern, b.bonds, b.load_path]).toEqual([cells, newBonds("rigid"), "fail"]);
    const soft = body("box");
    changeMatter(soft, "soft");
    breakBody(soft, cells);
    expect(soft.load_path).toBe("off"); // seams of what deforms are loaded anyway
    changeMatter(soft, "rigid");
    expect(soft.load_path).toBe("fail");
  });
  it("leaves triangles of their own loose", () => {
    const b = body("sheet");
    expect(breakBody(b, { kind: "faces" } as Pattern)).toEqual([]);
    expect([b.bonds, b.load_path]).toEqual([null, "off"]);
  });
  it("gives seams of soft matter what it tore at, and says so", () => {
    const b = body("box");
    changeMatter(b, "soft");
    (b.matter as { tear: number }).tear = 120;
    expect(breakBody(b, cells)).toHaveLength(1);
    expect([b.bonds!.strength, b.bonds!.unit, b.matter]).toMatchObject([120, "kN/m2", { tear: null }]);
  });
});

describe("what numbers of matter lead to", () => {
  it("is how far a sheet hangs under its own weight: half of weight times height over stiffness", () => {
    const b = body("sheet");
    changeMatter(b, "cloth");
    Object.assign(b.matter, { weight: 1, stretch: 1 });
    expect(leadsTo(b, [1, 4, 0], 10)).toContain("hangs 8 cm longer"); // 1 * 10 * 4 / 1000 / 2 of 4 m
  });
  it("is how long a rope takes to swing, as a rod that hangs from its end", () => {
    const b = body("line");
    changeMatter(b, "rope");
    expect(leadsTo(b, [3, 0, 0], 9.81)).toContain("swings in 2.8 s"); // 2 pi sqrt(2 * 3 / 3 / 9.81)
  });
  it("is, of a rope that bends, what a solid rod of its section would resist", () => {
    const b = body("line");
    changeMatter(b, "rope");
    expect(leadsTo(b, [3, 0, 0], 9.81)).not.toContain("solid");
    Object.assign(b.matter, { radius: 0.01, young: 1e5, bending: 0.1 });
    expect(leadsTo(b, [3, 0, 0], 9.81)).toContain("were it solid, bending 0.785, twist 0.524 N m²"); // pi/4 r4 E, / 1.5
  });
  it("offers twist to what bends, and turns to what is twisted", () => {
    const rows = (m: object) => MATTER_SPECS.rope.filter((s) => s.when?.(m as never) ?? true).map((s) => s.key);
    const limp = { bending: 0, twist: 0, turns: 0, working_load: null };
    expect(rows(limp)).not.toContain("twist");
    expect(rows({ ...limp, bending: 1 })).toContain("twist");
    expect(rows({ ...limp, bending: 1 })).not.toContain("turns");
    expect(rows({ ...limp, twist: 1 })).toEqual(expect.arrayContaining(["twist", "turns"]));
  });
  it("is nothing where there is no weight", () => expect(leadsTo(body("sheet"), [1, 1, 0], 0)).toBe(""));
  it("has a row, with its sentence, for every number a preset may give", () => {
    for (const kind of ["cloth", "soft", "rope"] as const)
      for (const row of MATTER_SPECS[kind]) expect(row.hint, `${kind} ${row.key}`).toBeTruthy();
  });
});

describe("what joins pieces", () => {
  it("is given in what the matter has, and anew where that changes", () => {
    expect([newBonds("cloth").unit, newBonds("soft").unit, newBonds("rigid").unit]).toEqual(["kN/m", "kN/m2", "kN/m2"]);
    const body = newBody("wall", SHAPES.sheet!(), 1);
    body.bonds = { ...newBonds("rigid"), tiers: [900], cut: [[0, 1]] };
    changeMatter(body, "cloth");
    expect(body.bonds).toMatchObject({ strength: 5, unit: "kN/m", tiers: [], cut: [] });
    body.bonds!.strength = 2;
    changeMatter(body, "soft");
    expect(body.bonds).toMatchObject({ strength: 400, unit: "kN/m2" });
    body.bonds = { ...newBonds("soft"), unit: "kN", strength: 3 };
    changeMatter(body, "cloth");
    expect(body.bonds).toMatchObject({ strength: 3, unit: "kN" });
  });
});
