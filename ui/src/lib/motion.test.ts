import { describe, expect, it } from "vitest";
import { begunMotion, placeAt, standAt, withKey, type Motion, type PlaceKey } from "./motion";
import { anglesNear, anglesOf, fromAngles, type Vec } from "./rotation";

const CURVE = [0.4, 0, 0.6, 1] as [number, number, number, number];
const key = (
  time: number,
  x: number,
  how: "smooth" | "linear" | "step" | "bezier",
  rotation: [number, number, number, number] = [0, 0, 0, 1],
) => ({ time, position: [x, 0, 0] as [number, number, number], rotation, angles: null, how, curve: CURVE });

const CASES = [
  [-1, 0.0, 0.0],
  [0.3, 0.172384615, 0.134225774],
  [0.9, 0.915923077, 0.586400631],
  [1.7, 1.331554054, 0.449527798],
  [2.6, 1.691226611, 0.06359649],
  [3.25, 2.54122866, 0.0],
  [3.8, 5.654011033, 0.0],
  [4.5, 6.0, 0.0],
  [9, 7.0, 0.0],
] as [number, number, number][];

describe("keys of an animated body", () => {
  it("stand as the core has them", () => {
    // figures from dynaclast.core.motion.Path
    const motion: Motion = {
      keys: [
        key(0, 0, "smooth"),
        key(1, 1, "smooth", [0, 0.6, 0, 0.8]),
        key(3, 2, "bezier"),
        key(4, 6, "step"),
        key(5, 7, "linear"),
      ],
    };
    for (const [time, x, y] of CASES) {
      const at = placeAt(motion, time);
      expect(at.position[0]).toBeCloseTo(x, 6);
      expect(at.rotation[1]).toBeCloseTo(y, 6);
    }
  });

  it("are put in order, and one at the same frame is changed", () => {
    const stand = {
      position: [9, 0, 0] as [number, number, number],
      rotation: [0, 0, 0, 1] as [number, number, number, number],
    };
    const two = withKey(withKey(null, 2, 24, stand), 1, 24, stand);
    expect(two.keys.map((k) => k.time)).toEqual([1, 2]);
    expect(withKey(two, 1.01, 24, { ...stand, position: [3, 0, 0] }).keys[0]!.position).toEqual([3, 0, 0]);
  });

  it("a steady spin turns about the centre of mass", () => {
    const body = {
      role: "animated",
      place: { position: [1, 0, 0], rotation: [0, 0, 0, 1] },
      motion: null,
      velocity: [0, 1, 0],
      spin: [0, Math.PI, 0],
    } as never;
    const at = standAt(body, 1, { volume: new Float32Array([2]), center: new Float32Array([1, 0, 0]) });
    [3, 1, 0].forEach((v, k) => expect(at.position[k]).toBeCloseTo(v, 6));
  });

  it("turn by their angles, as often as they say, where all have them", () => {
    const turns = (time: number, y: number): PlaceKey => ({ ...key(time, 0, "linear"), angles: [0, y, 0] });
    const motion: Motion = { keys: [turns(0, 0), turns(2, 720)] };
    expect(placeAt(motion, 0.5).angles).toEqual([0, 180, 0]);
    expect(placeAt(motion, 1).rotation[3]).toBeCloseTo(-1, 9);
    const one = { ...motion, keys: [turns(0, 0), key(2, 0, "linear")] };
    expect(placeAt(one, 1).angles).toBeUndefined();
  });

  it("get angles all together, those moved by hand going on from the key before", () => {
    const by = (y: number) => ({ position: [0, 0, 0] as Vec, rotation: fromAngles([0, y, 0]) });
    let motion = withKey(null, 0, 24, by(0));
    motion = withKey(motion, 1, 24, { ...by(350), angles: [0, 350, 0] });
    expect(motion.keys.map((k) => k.angles)).toEqual([
      [0, 0, 0],
      [0, 350, 0],
    ]);
    motion = withKey(motion, 2, 24, by(20));
    expect(motion.keys[2]!.angles).toEqual([0, 380, 0]);
  });
});

describe("a motion that begins by moving", () => {
  const body = { place: { position: [1, 2, 3], rotation: [0, 0, 0, 1], angles: null } } as never;
  const there = { position: [5, 2, 3] as Vec, rotation: [0, 0, 0, 1] as [number, number, number, number] };
  it("has where it stood at the start, and nothing more where it is moved there", () => {
    expect(begunMotion(body, 2, 24, there).keys.map((k) => [k.time, k.position])).toEqual([
      [0, [1, 2, 3]],
      [2, [5, 2, 3]],
    ]);
    expect(begunMotion(body, 0, 24, there).keys.map((k) => k.position)).toEqual([[5, 2, 3]]);
  });
});

describe("angles", () => {
  it("are kept near those before, also beyond a quarter turn about y", () => {
    for (const angles of [
      [0, 120, 0],
      [0, -200, 0],
      [30, 130, 10],
      [400, 20, -300],
    ] as Vec[])
      anglesNear(fromAngles(angles), angles).forEach((a, k) => expect(a).toBeCloseTo(angles[k]!, 2));
  });
  it("are those typed where they were typed", () => {
    expect(anglesOf({ rotation: [0, 0, 0, 1], angles: [0, 360, 0] })).toEqual([0, 360, 0]);
    expect(anglesOf({ rotation: fromAngles([0, 45, 0]) })[1]).toBeCloseTo(45, 3);
  });
});
