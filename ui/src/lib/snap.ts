/**
 * Where something that is dragged comes to stand: on lines of the ground, on what is below it, at a corner of a body.
 */
import type { Vec } from "./rotation";

export type Snap = "free" | "grid" | "ground" | "surface" | "corners";
export const SNAPS = [
  ["free", "nothing", "it goes where it is dragged"],
  ["grid", "lines of the ground", "steps of the ground's lines, along each axis"],
  ["ground", "ground", "its lowest point stays on the ground"],
  ["surface", "what is below", "its lowest point stands on the body below it, or on the ground"],
  ["corners", "corners", "its nearest corner meets a body's corner that is near on the screen"],
] as const;

/** To the nearest lines, ``cell`` metres apart. */
export const toGrid = (at: Vec, cell: number): Vec => at.map((x) => Math.round(x / cell) * cell) as Vec;

/** With what hangs ``foot`` below a position brought to a height. */
export const standing = (at: Vec, foot: number, height: number): Vec => [at[0], height + foot, at[2]];

/**
 * Moved so that the nearest pair of an own and another corner meets, if they are nearer than ``within`` metres.
 *
 * own: corners, from the position; others: points in the world, three numbers each
 */
export function toCorner(at: Vec, own: readonly Vec[], others: ArrayLike<number>, within: number): Vec {
  let least = within * within;
  let by: Vec | null = null;
  for (let k = 0; k < others.length; k += 3) {
    for (const c of own) {
      const d: Vec = [others[k]! - at[0] - c[0], others[k + 1]! - at[1] - c[1], others[k + 2]! - at[2] - c[2]];
      const far = d[0] * d[0] + d[1] * d[1] + d[2] * d[2];
      if (far < least) [least, by] = [far, d];
    }
  }
  return by ? (at.map((x, c) => x + by[c]!) as Vec) : at;
}
