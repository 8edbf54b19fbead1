/** Where an animated body stands over time: the same curves as the core's motion module. */
import type { Body } from "../api/types";
import type { Packed } from "../api/packed";
import { anglesNear, fromAngles, multiply, turn, type Quat, type Vec } from "./rotation";

export type Motion = NonNullable<Body["motion"]>;
export type PlaceKey = Required<Motion["keys"][number]>;
export interface Stand {
  position: Vec;
  rotation: Quat;
  /** as they run, where they were typed */
  angles?: Vec | null;
}

const dot = (a: Quat, b: Quat): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2] + a[3] * b[3];
const unit = (q: number[]): Quat => {
  const length = Math.hypot(...q) || 1;
  return q.map((x) => x / length) as Quat;
};

/** Share of the way at a share of the time, on a cubic curve with two handles. */
export function bezierShare([x1, y1, x2, y2]: readonly [number, number, number, number], share: number): number {
  let lo = 0;
  let hi = 1;
  for (let k = 0; k < 40; k++) {
    const t = (lo + hi) / 2;
    if (3 * (1 - t) ** 2 * t * x1 + 3 * (1 - t) * t * t * x2 + t ** 3 < share) lo = t;
    else hi = t;
  }
  const t = (lo + hi) / 2;
  return 3 * (1 - t) ** 2 * t * y1 + 3 * (1 - t) * t * t * y2 + t ** 3;
}

function slerp(a: Quat, b: Quat, share: number): Quat {
  const c = Math.min(1, dot(a, b));
  const to = c < 0 ? (b.map((x) => -x) as Quat) : b;
  const angle = Math.acos(Math.min(1, Math.abs(c)));
  if (angle < 1e-6) return unit(a.map((x, k) => x + share * (to[k]! - x)));
  const [u, v] = [Math.sin((1 - share) * angle) / Math.sin(angle), Math.sin(share * angle) / Math.sin(angle)];
  return unit(a.map((x, k) => u * x + v * to[k]!));
}

/** Slopes of a monotone cubic through one channel, level at both ends (Fritsch and Carlson 1980). */
export function easedSlopes(times: readonly number[], values: readonly number[]): number[] {
  const n = times.length;
  return values.map((_, k) => {
    if (k === 0 || k === n - 1) return 0;
    const [h0, h1] = [times[k]! - times[k - 1]!, times[k + 1]! - times[k]!];
    const [m0, m1] = [(values[k]! - values[k - 1]!) / h0, (values[k + 1]! - values[k]!) / h1];
    if (m0 * m1 <= 0) return 0;
    const [w0, w1] = [2 * h1 + h0, h1 + 2 * h0];
    return (w0 + w1) / (w0 / m0 + w1 / m1);
  });
}

function eased(times: readonly number[], values: readonly number[], k: number, time: number): number {
  const slopes = easedSlopes(times, values);
  const h = times[k + 1]! - times[k]!;
  const s = (time - times[k]!) / h;
  const [a, b, d0, d1] = [values[k]!, values[k + 1]!, slopes[k]! * h, slopes[k + 1]! * h];
  return (1 + 2 * s) * (1 - s) ** 2 * a + s * (1 - s) ** 2 * d0 + s * s * (3 - 2 * s) * b + s * s * (s - 1) * d1;
}

/** Where keys put a body at a time [s]. */
export function placeAt(motion: Motion, time: number): Stand {
  const keys = motion.keys as PlaceKey[];
  let k = keys.length - 1;
  while (k > 0 && keys[k]!.time > time) k--;
  const here = keys[k]!;
  const there = keys[k + 1];
  if (!there || time <= here.time || here.how === "step")
    return { position: [...here.position] as Vec, rotation: unit(here.rotation), angles: here.angles as Vec | null };
  const byAngles = keys.every((key) => key.angles);
  const turns = keys.map((key) => unit(key.rotation));
  for (let i = 1; i < turns.length; i++)
    if (dot(turns[i]!, turns[i - 1]!) < 0) turns[i] = turns[i]!.map((x) => -x) as Quat;
  if (here.how === "smooth") {
    const times = keys.map((key) => key.time);
    const at = (of: (i: number) => number): number =>
      eased(
        times,
        keys.map((_, i) => of(i)),
        k,
        time,
      );
    const position = [0, 1, 2].map((c) => at((i) => keys[i]!.position[c]!)) as Vec;
    if (byAngles) {
      const angles = [0, 1, 2].map((c) => at((i) => keys[i]!.angles![c]!)) as Vec;
      return { position, rotation: fromAngles(angles), angles };
    }
    return {
      position,
      rotation: unit([0, 1, 2, 3].map((c) => at((i) => turns[i]![c]!))),
    };
  }
  let share = (time - here.time) / (there.time - here.time);
  if (here.how === "bezier") share = bezierShare(here.curve as [number, number, number, number], share);
  const between = (a: readonly number[], b: readonly number[]): Vec =>
    [0, 1, 2].map((c) => a[c]! + share * (b[c]! - a[c]!)) as Vec;
  if (byAngles) {
    const angles = between(here.angles!, there.angles!);
    return { position: between(here.position, there.position), rotation: fromAngles(angles), angles };
  }
  return {
    position: between(here.position, there.position),
    rotation: slerp(turns[k]!, turns[k + 1]!, share),
  };
}

/** Where a body stands in the set-up at a time: animated ones move, all others stand still. */
export function standAt(body: Body, time: number, packed?: Packed): Stand {
  const place: Stand = {
    position: [...body.place.position!] as Vec,
    rotation: [...body.place.rotation!] as Quat,
    angles: body.place.angles as Vec | null,
  };
  if (body.role !== "animated") return place;
  if (body.motion) return placeAt(body.motion, time);
  const angle = Math.hypot(...body.spin);
  const moved = place.position.map((x, k) => x + time * body.velocity[k]!) as Vec;
  if (angle === 0 || !packed?.volume) return { position: moved, rotation: place.rotation };
  const half = (angle * time) / 2;
  const by: Quat = [...(body.spin.map((w) => (Math.sin(half) * w) / angle) as Vec), Math.cos(half)];
  const volume = packed.volume as Float32Array;
  const center = packed.center as Float32Array;
  const total = volume.reduce((a, b) => a + b, 0);
  const middle = turn(
    place.rotation,
    [0, 1, 2].map((c) => volume.reduce((sum, v, p) => sum + v * center[p * 3 + c]!, 0) / total) as Vec,
  );
  const arm = turn(by, middle);
  return {
    position: moved.map((x, k) => x + middle[k]! - arm[k]!) as Vec,
    rotation: unit(multiply(by, place.rotation)),
  };
}

/** The key at a time, within half a frame; -1 if there is none. */
export function keyAt(motion: Motion, time: number, fps: number): number {
  return motion.keys.findIndex((k) => Math.abs(k.time! - time) < 0.5 / fps);
}

/** A motion for a body that has none yet: where it stands now at the start, and so at a time. */
export function begunMotion(body: Body, time: number, fps: number, stand: Stand): Motion {
  const now: Stand = {
    position: [...body.place.position!] as Vec,
    rotation: [...body.place.rotation!] as Quat,
    angles: body.place.angles as Vec | null,
  };
  const from = time > 0.5 / fps ? withKey(null, 0, fps, now) : null;
  return withKey(from, time, fps, stand);
}

/** The motion with the body standing so at a time: the key there changed, or one more. */
export function withKey(motion: Motion | null, time: number, fps: number, stand: Stand): Motion {
  let keys = [...((motion?.keys ?? []) as PlaceKey[])];
  if (stand.angles || keys.some((k) => k.angles)) {
    // all by their angles, or none: the short way round where they were not typed
    let before: Vec = [0, 0, 0];
    keys = keys.map((k) => ({ ...k, angles: (before = (k.angles as Vec | null) ?? anglesNear(k.rotation, before)) }));
    const last = keys.filter((k) => k.time < time - 0.5 / fps).at(-1);
    stand = {
      ...stand,
      angles: stand.angles ?? anglesNear(stand.rotation, ((last ?? keys[0])?.angles as Vec) ?? [0, 0, 0]),
    };
  }
  const at = motion ? keyAt(motion, time, fps) : -1;
  if (at >= 0) keys[at] = { ...keys[at]!, ...stand };
  else keys.push({ time: Number(time.toFixed(4)), angles: null, ...stand, how: "smooth", curve: [0.4, 0, 0.6, 1] });
  keys.sort((a, b) => a.time - b.time);
  return { keys };
}
