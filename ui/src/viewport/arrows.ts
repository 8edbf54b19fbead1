/** Arrows of what a field would do to pieces, as line segments. */
import { ramp } from "../lib/ramp";
import type { Vec } from "../lib/rotation";

/**
 * Segments from pieces along their pulls: the longest ``long``, the others by the root of their share; null where
 * nothing is pulled.
 */
export function drawArrows(
  pulls: readonly (readonly number[])[],
  from: (piece: number) => Vec,
  long: number,
): { ends: Float32Array<ArrayBuffer>; colors: Float32Array } | null {
  const sizes = pulls.map((a) => Math.hypot(...a));
  const most = sizes.reduce((a, b) => Math.max(a, b), 0);
  if (most <= 0) return null;
  const at: number[] = [];
  const colors: number[] = [];
  pulls.forEach((a, p) => {
    const share = sizes[p]! / most;
    if (share < 0.01) return;
    const start = from(p);
    const d = a.map((x) => x / sizes[p]!) as Vec;
    const length = long * Math.sqrt(share);
    const tip = start.map((x, c) => x + d[c]! * length) as Vec;
    const side: Vec = Math.abs(d[1]) < 0.9 ? [-d[2], 0, d[0]] : [0, -d[2], d[1]];
    const n = Math.hypot(...side) || 1;
    const barb = (sign: number): Vec =>
      tip.map((x, c) => x - d[c]! * length * 0.22 + (sign * side[c]! * length * 0.1) / n) as Vec;
    at.push(...start, ...tip, ...tip, ...barb(1), ...tip, ...barb(-1));
    const color = ramp(share);
    for (let k = 0; k < 3; k++) colors.push(...color);
  });
  return { ends: new Float32Array(at), colors: new Float32Array(colors) };
}
