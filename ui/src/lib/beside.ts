/** A free place on the ground for something new, beside what is there. */
import type { Vec } from "./rotation";

export interface Bounds {
  lo: Vec;
  hi: Vec;
}

const overlap = (a: Bounds, b: Bounds): boolean => [0, 1, 2].every((c) => a.lo[c]! < b.hi[c]! && b.lo[c]! < a.hi[c]!);

/**
 * How far along x something must go to touch nothing: not at all, or the shortest way to the right or left of what
 * stands in its way, a fifth of its width apart.
 */
export function wayBeside(own: Bounds, others: readonly Bounds[]): number {
  const at = (by: number): Bounds => ({
    lo: [own.lo[0] + by, own.lo[1], own.lo[2]],
    hi: [own.hi[0] + by, own.hi[1], own.hi[2]],
  });
  const gap = 0.2 * (own.hi[0] - own.lo[0]);
  const ways = [0, ...others.flatMap((o) => [o.hi[0] - own.lo[0] + gap, o.lo[0] - own.hi[0] - gap])];
  const free = ways.filter((by) => !others.some((o) => overlap(at(by), o)));
  // of two ways as short as each other, that to the right
  return free.sort((a, b) => Math.abs(a) - Math.abs(b) || b - a)[0] ?? 0;
}
