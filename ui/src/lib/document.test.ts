import { describe, expect, it } from "vitest";
import type { Body, ShotDocument } from "../api/types";
import { thingsOf } from "../stores/shot";
import {
  buildKey,
  causeWords,
  differences,
  halfHeight,
  layoutCount,
  newBody,
  newGroup,
  newLayout,
  newPattern,
  PATTERNS,
  bodiesNamedIn,
  renameIn,
  SHAPES,
} from "./document";
import { changeMatter } from "./matter";

const crate = (): Body => newBody("crate", SHAPES.box!(), 1);
const document = (more: Partial<ShotDocument> = {}): ShotDocument =>
  ({ version: 1, name: "s", bodies: [], groups: [], fields: [], ...more }) as unknown as ShotDocument;

describe("a scatter that is new", () => {
  const stone = { name: "stone", place: { position: [3, 9, 4] } } as unknown as Body;
  const ground = { body: null, at: [3, 0, 4], size: null };

  it("stays round the body it is over, wherever its members came from", () => {
    const made = newLayout("surface", stone, null, [1, 1, 1], { body: "slope", at: [10, 1, -5], size: [8, 2, 6] });
    expect(made).toMatchObject({ body: "slope", inside: { center: [10, 1, -5], core: 5.1 } });
  });

  it("stays on the ground below, not in the air where the body was", () => {
    const made = newLayout("surface", stone, null, [1, 1, 1], ground);
    expect(made).toMatchObject({ body: null, inside: { center: [3, 0, 4], core: 5 } });
  });

  it("keeps a sphere that was set before", () => {
    const inside = { kind: "sphere", center: [1, 2, 3], core: 2, edge: 0, ride: null };
    const old = { kind: "volume", count: 5, inside, gap: 0 } as never;
    expect(newLayout("surface", stone, old, [1, 1, 1], ground)).toMatchObject({ inside });
  });
});

describe("new parts", () => {
  it("every shape stands on the ground by half its height", () => {
    for (const make of Object.values(SHAPES).filter((m) => m().kind !== "line"))
      expect(halfHeight(make())).toBeGreaterThan(0);
  });

  it("every pattern suits the body's size: grain along, cracks through the thin side", () => {
    const size = [4, 1, 0.1];
    for (const kind of Object.keys(PATTERNS) as (keyof typeof PATTERNS)[])
      expect(newPattern(kind, size).kind).toBe(kind);
    expect((newPattern("splinters", size) as { grain: number[] }).grain).toEqual([1, 0, 0]);
    expect((newPattern("radial", size) as { axis: number[] }).axis).toEqual([0, 0, 1]);
  });

  it("a layout keeps the number of members when its kind changes", () => {
    const group = newGroup("crates", crate(), "line", [1, 1, 1], null);
    expect(layoutCount(group.layout)).toBe(12);
    const grid = newLayout("grid", group.body, group.layout);
    expect(layoutCount(grid)).toBe(9); // the nearest square
    expect(layoutCount(newLayout("ring", group.body, grid))).toBe(9);
  });
});

describe("what is computed anew", () => {
  it("pieces only for what decides them", () => {
    const before = buildKey(crate());
    const moved = crate();
    moved.place.position = [5, 5, 5];
    moved.material.density = 1;
    moved.velocity = [1, 0, 0];
    expect(buildKey(moved)).toBe(before);
    const scaled = crate();
    scaled.place.scale = [2, 1, 1];
    expect(buildKey(scaled)).not.toBe(before);
    const stepped = crate();
    stepped.steps = [{ kind: "fill" }];
    expect(buildKey(stepped)).not.toBe(before);
    const sheet = (change: (b: Body) => void): string => {
      const body = newBody("sheet", SHAPES.sheet!(), 1);
      change(body);
      return buildKey(body);
    };
    const made = [
      () => undefined,
      (b: Body) => changeMatter(b, "cloth"),
      (b: Body) => changeMatter(b, "soft"),
      (b: Body) => (changeMatter(b, "cloth"), ((b.matter as { tear: number }).tear = 2)),
      (b: Body) => (changeMatter(b, "cloth"), (b.opening = { points: "AAAA", drawn: null })),
    ].map(sheet);
    expect(new Set(made).size).toBe(made.length);
  });

  it("a take is out of date by bodies, groups and fields, not by looks", () => {
    const then = document({ bodies: [crate()], groups: [newGroup("g", crate(), "line", [1, 1, 1], null)] });
    const now = structuredClone(then);
    (now.bodies[0] as Body).material.look!.color = "#ff0000";
    (now.bodies[0] as Body).roughness = { size: 1, depth: 1, seed: 1 };
    expect(differences(then, now)).toEqual([]);
    // what the server hands back is ordered otherwise, and written out
    const { rolling, ...rest } = (now.bodies[0] as Body).material;
    (now.bodies[0] as Body).material = { rolling, ...rest } as Body["material"];
    then.bodies[0]!.motion = null;
    delete (now.bodies[0] as Partial<Body>).motion;
    expect(differences(then, now)).toEqual([]);
    now.groups[0]!.seed = 9;
    (now.bodies[0] as Body).gravity = 0;
    expect(differences(then, now)).toEqual(["body crate has changed", "group g has changed"]);
  });
});

describe("words", () => {
  it("things are bodies, then groups by the body they are made of", () => {
    const things = thingsOf(document({ bodies: [crate()], groups: [newGroup("g", crate(), "ring", [1, 1, 1], null)] }));
    expect(things.map((t) => [t.name, t.body.name, !!t.group])).toEqual([
      ["crate", "crate", false],
      ["g", "crate", true],
    ]);
  });

  it("why a bond broke", () => {
    expect(causeWords({ field: "lightning" }, "tower")).toBe("lightning");
    expect(causeWords({ weight: "tower" }, "tower")).toBe("its own weight");
    expect(causeWords({ motion: "tower" }, "tower")).toBe("its own motion");
    expect(causeWords({ impact: "tower" }, "tower")).toBe("hit by its own pieces");
    expect(causeWords({ impact: "ball" }, "tower")).toBe("hit by ball");
    expect(causeWords(undefined, "tower")).toBe("");
  });
});

describe("names of bodies in fields", () => {
  const shot = () =>
    ({
      bodies: [],
      falloffs: [{ name: "near", layers: [{ shape: { kind: "pieces", body: "cart" } }] }],
      fields: [
        {
          name: "gale",
          effect: { kind: "attractor", to: "surface", body: "cart" },
          reach: { layers: [{ shape: { kind: "sphere", ride: "cart" } }] },
          travel: { kind: "ride", body: "cart" },
          aim: "cart",
          targets: ["cart", "wall"],
          cue: { kind: "impact", bodies: ["cart"] },
        },
      ],
    }) as unknown as ShotDocument;

  it("follow a rename everywhere", () => {
    const d = shot();
    renameIn(d, "cart", "wagon");
    expect(JSON.stringify(d)).not.toContain("cart");
    expect(JSON.stringify(d).match(/wagon/g)).toHaveLength(7);
  });

  it("are done without where the body goes", () => {
    const d = shot();
    renameIn(d, "cart", null);
    expect(JSON.stringify(d)).not.toContain("cart");
    expect(d.fields[0]).toMatchObject({
      effect: { to: "point", body: null },
      travel: null,
      aim: null,
      targets: ["wall"],
      cue: { bodies: null },
    });
    expect(d.falloffs[0]!.layers[0]!.shape.kind).toBe("everywhere");
  });

  const flag = () =>
    ({
      falloffs: [],
      fields: [{ name: "pull", effect: { kind: "attractor", to: "point", body: null }, reach: {}, targets: "all" }],
      bodies: [
        {
          name: "flag",
          pins: [
            { to: "cart", reach: { layers: [{ shape: { kind: "box" } }] } },
            { to: null, reach: { layers: [{ shape: { kind: "pieces", body: "cart" } }] } },
          ],
          recall: [{ to: "cart", reach: { use: "near" } }],
          weights: [],
        },
      ],
    }) as unknown as ShotDocument;

  it("follow a rename where a body holds vertices, and no word that is no name", () => {
    const d = flag();
    expect([...bodiesNamedIn(d)]).toEqual(["cart"]);
    renameIn(d, "cart", "wagon");
    renameIn(d, "point", "tip");
    expect(JSON.stringify(d).match(/wagon/g)).toHaveLength(3);
    expect(d.fields[0]!.effect).toMatchObject({ to: "point" });
  });

  it("hold nothing where the body goes by which they reached", () => {
    const d = flag();
    renameIn(d, "cart", null);
    const [body] = d.bodies;
    expect(body!.pins).toHaveLength(1); // not everything, as a field would reach
    expect([body!.pins![0]!.to, body!.recall![0]!.to]).toEqual([null, null]);
  });
});
