import { describe, expect, it } from "vitest";
import openapi from "../api/openapi.json";
import type { FieldItem } from "../api/types";
import { effectUnits, expected, newField, newLayer, newPattern, PATTERNS } from "./document";
import {
  BODY_SPECS,
  CUES,
  EFFECTS,
  LAYERS,
  MATERIAL_SPECS,
  setAt,
  STAGGER,
  TRAVELS,
  valueAt,
  type Spec,
} from "./specs";

type Json = Record<string, unknown>;
const parts = openapi.components.schemas as unknown as Record<string, { properties?: Record<string, Json> }>;

/** The part of the document whose kind is so named, among those whose name ends so. */
function partOf(kind: string, ending: string): Record<string, Json> {
  const found = Object.entries(parts).filter(
    ([name, part]) => name.endsWith(ending) && (part.properties?.kind as Json | undefined)?.const === kind,
  );
  expect(found.map(([name]) => name)).toHaveLength(1);
  return found[0]![1].properties!;
}

/** What the document says of a number, whatever else it may be instead. */
function numberOf(property: Json): Json {
  const ways = (property.anyOf as Json[] | undefined) ?? [property];
  return ways.find((w) => w.type === "number" || w.type === "integer") ?? {};
}

function agrees(specs: readonly Spec[], properties: Record<string, Json>, where: string): void {
  for (const spec of specs) {
    const [first, item] = spec.key.split(".");
    const whole = properties[first!];
    const property = item === undefined ? whole : (whole?.prefixItems as Json[] | undefined)?.[Number(item)];
    expect(property, `${where}.${spec.key}`).toBeDefined();
    if (spec.kind === "choice" && Array.isArray(property!.enum))
      expect(spec.options!.map((o) => o[0]).sort(), `${where}.${spec.key}`).toEqual([...property!.enum].sort());
    if (spec.kind !== undefined && spec.kind !== "number") continue;
    const number = numberOf(property!);
    expect(["number", "integer"], `${where}.${spec.key}`).toContain(number.type);
    expect(Boolean(spec.whole), `${where}.${spec.key} whole`).toBe(number.type === "integer");
    const least = (number.minimum ?? number.exclusiveMinimum ?? -Infinity) as number;
    const most = (number.maximum ?? Infinity) as number;
    expect(spec.min ?? least, `${where}.${spec.key} least`).toBeGreaterThanOrEqual(Math.max(least, -1e6));
    expect(spec.max ?? most, `${where}.${spec.key} most`).toBeLessThanOrEqual(most);
    if (number.exclusiveMinimum !== undefined)
      expect(spec.min, `${where}.${spec.key} > ${least}`).toBeGreaterThan(least);
  }
}

describe("what inspectors let set", () => {
  it.each(Object.keys(EFFECTS) as (keyof typeof EFFECTS)[])("is what the document takes, of the effect %s", (kind) => {
    const properties = partOf(kind, "Effect");
    agrees(EFFECTS[kind].specs, properties, kind);
    expect(Object.keys(properties).sort()).toEqual(["kind", ...Object.keys(EFFECTS[kind].make)].sort());
  });
  it.each(Object.keys(LAYERS) as (keyof typeof LAYERS)[])("of the layer %s", (kind) => {
    const properties = partOf(kind, "Reach");
    agrees(LAYERS[kind].specs, properties, kind);
    for (const key of Object.keys(LAYERS[kind].make([0, 0, 0], 1))) expect(properties[key], key).toBeDefined();
  });
  it.each(Object.keys(CUES) as (keyof typeof CUES)[])("of the cue %s", (kind) => {
    const properties = partOf(kind, "Cue");
    agrees(CUES[kind].specs, properties, kind);
    expect(Object.keys(properties).sort()).toEqual(["kind", ...Object.keys(CUES[kind].make)].sort());
  });
  it.each(Object.keys(TRAVELS) as (keyof typeof TRAVELS)[])("of the travel %s", (kind) =>
    agrees(TRAVELS[kind].specs, partOf(kind, "Travel"), kind),
  );
  it("of staggers, bodies and materials", () => {
    agrees(STAGGER, parts.Stagger!.properties!, "stagger");
    agrees(BODY_SPECS, parts["Body-Input"]?.properties ?? parts.Body!.properties!, "body");
    agrees(MATERIAL_SPECS, parts.Material!.properties!, "material");
  });
  it("can be left out only where the document has a way of leaving it out", () => {
    for (const [kind, effect] of Object.entries(EFFECTS))
      for (const spec of effect.specs.filter((s) => s.optional)) {
        const ways = partOf(kind, "Effect")[spec.key]!.anyOf as Json[];
        expect(
          ways.some((w) => w.type === "null"),
          `${kind}.${spec.key}`,
        ).toBe(true);
      }
  });
});

describe("new parts of a document", () => {
  it("have every number within its limits, whatever the size of what they are made for", () => {
    for (const size of [0.001, 1, 4000])
      for (const kind of Object.keys(EFFECTS) as (keyof typeof EFFECTS)[]) {
        const field = newField(kind, "f", [1, 2, 3], size);
        for (const spec of EFFECTS[kind].specs) {
          const value = valueAt(field.effect, spec.key);
          if (typeof value !== "number") continue;
          expect(value).toBeGreaterThanOrEqual(spec.min ?? -Infinity);
          expect(value).toBeLessThanOrEqual(spec.max ?? Infinity);
        }
        expect(field.reach.layers).toHaveLength(1);
      }
  });
  it("are copies: changing one leaves the next as it was", () => {
    const one = newField("strain", "a", [0, 0, 0], 1);
    setAt(one.effect, "load", 7);
    expect(valueAt(newField("strain", "b", [0, 0, 0], 1).effect, "load")).toBe(500);
    const layer = newLayer([0, 0, 0], 1);
    setAt(layer, "shape.center.1", 5);
    expect(valueAt(newLayer([0, 0, 0], 1), "shape.center.1")).toBe(0);
  });
  it("break a long body across its length and a thin one through its thin side", () => {
    for (const kind of Object.keys(PATTERNS) as (keyof typeof PATTERNS)[]) {
      const pattern = newPattern(kind, [9, 2, 0.1]) as unknown as Json;
      expect(pattern.kind).toBe(kind);
      if (kind === "splinters") expect(pattern.grain).toEqual([1, 0, 0]);
      if (kind === "radial") expect(pattern.axis).toEqual([0, 0, 1]);
    }
  });
});

function field(kind: keyof typeof EFFECTS, effect: Json, cue: Json = { kind: "at", time: 1 }): FieldItem {
  const made = newField(kind, "f", [0, 0, 0], 1);
  Object.assign(made.effect, effect);
  (made as unknown as Json).cue = cue;
  return made;
}

describe("what a strength comes to", () => {
  it.each([
    [field("push", { amount: 9.81 }), "9.81 m/s at once; up, it rises 4.9 m"],
    [field("push", { amount: 10 }, { kind: "span", start: 0 }), "after 1 s 10 m/s; 5 m in 1 s"],
    [field("burst", { speed: 10 }), "flies 10 m at best"],
    [field("drag", { amount: Math.LN2 }), "half the speed in 1 s"],
    [field("attractor", { law: "inverse-square", strength: 50 }), "50 m/s² at 1 m, 2 at 5 m"],
    [field("attractor", { law: "constant", strength: 0 }), ""],
    [field("attractor", { unit: "N" }), ""],
    [field("kill", {}), ""],
  ])("is said in words", (made, words) => expect(expected(made)).toBe(words));
  it("has the unit that its cue and its way of being given make it", () => {
    const span = { kind: "span", start: 0 };
    const pulse = { kind: "pulse", every: 1, length: 0.2 };
    expect(effectUnits(field("push", { unit: "m/s" })).amount).toBe("m/s");
    expect(effectUnits(field("push", { unit: "m/s" }, span)).amount).toBe("m/s²");
    expect(effectUnits(field("push", { unit: "N" })).amount).toBe("N s");
    expect(effectUnits(field("push", { unit: "N" }, pulse)).amount).toBe("N");
    expect(effectUnits(field("spin", { unit: "N m" }, span)).amount).toBe("N m");
    expect(effectUnits(field("burst", { unit: "N" })).speed).toBe("N s");
    expect(effectUnits(field("attractor", { unit: "N" }, span)).strength).toBe("N");
    expect(effectUnits(field("drag", {}, span)).amount).toBe("1/s");
  });
});

describe("values by path", () => {
  it("are read and set in place, and are none where the way ends early", () => {
    const of = { a: { b: [1, { c: 2 }] } };
    expect(valueAt(of, "a.b.1.c")).toBe(2);
    expect(valueAt(of, "a.x.y")).toBeUndefined();
    setAt(of, "a.b.1.c", 9);
    setAt(of, "a.b.0", 4);
    expect(of).toEqual({ a: { b: [4, { c: 9 }] } });
  });
});
