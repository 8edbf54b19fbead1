/** Quaternions x, y, z, w and the angles shown for them. */

export type Quat = [number, number, number, number];
export type Vec = [number, number, number];

/** Turns about x, then y, then z (world axes), in degrees, as a quaternion. */
export function fromAngles([x, y, z]: Vec): Quat {
  const half = Math.PI / 360;
  const [sx, cx, sy, cy, sz, cz] = [
    Math.sin(x * half),
    Math.cos(x * half),
    Math.sin(y * half),
    Math.cos(y * half),
    Math.sin(z * half),
    Math.cos(z * half),
  ];
  return [
    sx * cy * cz - cx * sy * sz,
    cx * sy * cz + sx * cy * sz,
    cx * cy * sz - sx * sy * cz,
    cx * cy * cz + sx * sy * sz,
  ];
}

/** The angles of `fromAngles`, in degrees. */
export function toAngles([x, y, z, w]: Quat): Vec {
  const deg = 180 / Math.PI;
  const s = Math.max(-1, Math.min(1, 2 * (w * y - z * x)));
  return [
    Math.atan2(2 * (w * x + y * z), 1 - 2 * (x * x + y * y)) * deg,
    Math.asin(s) * deg,
    Math.atan2(2 * (w * z + x * y), 1 - 2 * (y * y + z * z)) * deg,
  ];
}

export function multiply(a: Quat, b: Quat): Quat {
  return [
    a[3] * b[0] + a[0] * b[3] + a[1] * b[2] - a[2] * b[1],
    a[3] * b[1] - a[0] * b[2] + a[1] * b[3] + a[2] * b[0],
    a[3] * b[2] + a[0] * b[1] - a[1] * b[0] + a[2] * b[3],
    a[3] * b[3] - a[0] * b[0] - a[1] * b[1] - a[2] * b[2],
  ];
}

/** The turn that undoes another. */
export const back = (q: Quat): Quat => [-q[0], -q[1], -q[2], q[3]];

export function turn(q: Quat, v: Vec): Vec {
  const t: Vec = [2 * (q[1] * v[2] - q[2] * v[1]), 2 * (q[2] * v[0] - q[0] * v[2]), 2 * (q[0] * v[1] - q[1] * v[0])];
  return [
    v[0] + q[3] * t[0] + q[1] * t[2] - q[2] * t[1],
    v[1] + q[3] * t[1] + q[2] * t[0] - q[0] * t[2],
    v[2] + q[3] * t[2] + q[0] * t[1] - q[1] * t[0],
  ];
}

/** The angles of a turn that lie nearest to others, so that they go on from there, round and round if need be. */
export function anglesNear(q: Quat, before: Vec): Vec {
  const [x, y, z] = toAngles(q);
  const near = (a: number, b: number): number => a + 360 * Math.round((b - a) / 360);
  const ways: Vec[] = [
    [x, y, z],
    [x + 180, 180 - y, z + 180],
  ];
  const found = ways.map((way) => way.map((a, k) => near(a, before[k]!)) as Vec);
  const far = (way: Vec): number => way.reduce((sum, a, k) => sum + Math.abs(a - before[k]!), 0);
  const best = far(found[0]!) <= far(found[1]!) ? found[0]! : found[1]!;
  return best.map((a) => Number(a.toFixed(3))) as Vec;
}

/** The angles something stands at: as they were typed, or those of its rotation. */
export const anglesOf = (of: { rotation?: readonly number[]; angles?: readonly number[] | null }): Vec =>
  (of.angles as Vec | null | undefined) ?? anglesNear((of.rotation ?? [0, 0, 0, 1]) as Quat, [0, 0, 0]);
