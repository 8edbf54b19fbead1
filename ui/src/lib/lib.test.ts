import { describe, expect, it } from "vitest";
import { unpack } from "../api/packed";
import type { ShotDocument } from "../api/types";
import { differences, freeName, newBody, newField, SHAPES } from "./document";
import { pieceColor, ramp } from "./ramp";
import { fromAngles, multiply, toAngles, turn, type Quat, type Vec } from "./rotation";
import { readNumber, showMass, showNumber, showTime } from "./units";

describe("numbers as people type them", () => {
  it.each([
    ["3*1.2 m", "m", 3.6],
    ["25 deg", "°", 25],
    ["1 rad", "°", 180 / Math.PI],
    ["2 ft", "m", 0.6096],
    ["1 m + 4 in", "m", 1.1016],
    ["40 %", "", 0.4],
    ["250 %", "×", 2.5],
    ["36 km/h", "m/s", 10],
    ["2 ton", "kg", 2000],
    ["120 cm", "m", 1.2],
    ["(1+2)*3", "", 9],
    ["-2", "m", -2],
    ["1.5 MN", "kN", 1500],
    ["500 N", "kN", 0.5],
    ["1,5", "m", 1.5],
    ["2 - -3", "m", 5],
    ["10/4 mm", "m", 2500],
    ["1e3", "kg", 1000],
    ["2 MPa", "kN/m²", 2000],
  ])("%s in %s is %f", (text, unit, value) => expect(readNumber(text, unit)).toBeCloseTo(value, 9));

  it.each(["", "m", "2 *", "(3", "3 furlongs", "1/0", "2 3"])("refuses '%s' with a sentence", (text) =>
    expect(() => readNumber(text, "m")).toThrow(/\w/),
  );

  it("shows them short", () => {
    expect([showNumber(0), showNumber(2), showNumber(1.23456), showNumber(0.1 + 0.2), showNumber(12345.6)]).toEqual([
      "0",
      "2",
      "1.235",
      "0.3",
      "12346",
    ]);
    expect([showMass(12.3), showMass(2080)]).toEqual(["12.3 kg", "2.08 t"]);
    expect([showTime(11.4), showTime(125)]).toEqual(["11 s", "2 min 5 s"]);
  });
});

describe("rotations", () => {
  it("angles go to a quaternion and back", () => {
    for (const angles of [
      [10, 20, 30],
      [-80, 45, 170],
      [0, 89, 0],
    ] as Vec[])
      toAngles(fromAngles(angles)).forEach((a, k) => expect(a).toBeCloseTo(angles[k]!, 6));
  });

  it("turning by a product is turning twice", () => {
    const a: Quat = fromAngles([30, 40, 50]);
    const b: Quat = fromAngles([-10, 70, 5]);
    const v: Vec = [1, -2, 3];
    turn(multiply(a, b), v).forEach((x, k) => expect(x).toBeCloseTo(turn(a, turn(b, v))[k]!, 9));
  });
});

describe("colours", () => {
  it("stay in range and piece colours differ", () => {
    for (const t of [-1, 0, 0.37, 1, 2]) expect(ramp(t).every((c) => c >= 0 && c <= 1)).toBe(true);
    expect(new Set(Array.from({ length: 50 }, (_, k) => pieceColor(k).join())).size).toBe(50);
  });
});

describe("packed arrays", () => {
  it("are read as views and foreign bytes are refused", () => {
    const head = new TextEncoder().encode('{"arrays":{"a":["f4",[2],0],"b":["u1",[3],8]}}  ');
    const padded = new Uint8Array(8 + head.length + 16);
    padded.set(new TextEncoder().encode("DYNA"));
    new DataView(padded.buffer).setUint32(4, head.length, true);
    padded.set(head, 8);
    new DataView(padded.buffer).setFloat32(8 + head.length, 1.5, true);
    padded[8 + head.length + 8] = 7;
    const out = unpack(padded.buffer);
    expect([out.a![0], out.a!.length, out.b![0], out.b!.length]).toEqual([1.5, 2, 7, 3]);
    expect(() => unpack(new ArrayBuffer(16))).toThrow();
  });
});

describe("the document", () => {
  const shot = (): ShotDocument =>
    ({
      bodies: [newBody("wall", SHAPES.box!(), 1)],
      fields: [newField("strain", "blow", [0, 1, 0], 2)],
      timing: { fps: 24, frames: 240 },
      quality: "standard",
      gravity: [0, -9.81, 0],
      ground: { on: true },
      seed: 1,
    }) as unknown as ShotDocument;

  it("finds a free name", () =>
    expect([freeName("box", []), freeName("box", ["box", "box 2"])]).toEqual(["box", "box 3"]));

  it("says in words what has changed, and a new look is no change", () => {
    const now = shot();
    expect(differences(shot(), now)).toEqual([]);
    now.bodies[0]!.material!.look!.color = "#ffffff";
    expect(differences(shot(), now)).toEqual([]);
    now.bodies[0]!.material!.density = 1;
    (now.fields[0]!.cue as { time: number }).time = 2;
    now.timing!.frames = 10;
    expect(differences(shot(), now)).toEqual(["body wall has changed", "field blow has changed", "timing has changed"]);
  });
});
