/** Where something that deforms is likely held: boxes about a side, its corners or its ends, as it opens. */
import type { Vec } from "./rotation";

export type Edge = "top" | "foot" | "left" | "right" | "corners" | "ends";

const tidy = (v: number): number => Number(v.toFixed(4));

/** Boxes (shapes of falloffs) about an edge of what lies between two corners [m]. */
export function edgeBox(edge: Edge, lo: Vec, hi: Vec): object[] {
  const size = hi.map((x, k) => x - lo[k]!) as Vec;
  const long = Math.max(...size, 1e-3);
  const thin = 0.03 * long;
  const box = (center: Vec, core: Vec): object => ({
    kind: "box",
    center: center.map(tidy),
    rotation: [0, 0, 0, 1],
    core: core.map((x) => tidy(Math.max(x, thin))),
    edge: 0,
    ride: null,
  });
  const middle = lo.map((x, k) => (x + hi[k]!) / 2) as Vec;
  const wide = size.map((x) => 1.1 * x + thin) as Vec;
  const longest = size.indexOf(long) < 0 ? 0 : size.indexOf(long);
  /** a slab across an axis, at one of its ends */
  const across = (axis: number, at: Vec): object => {
    const [center, core] = [[...middle] as Vec, [...wide] as Vec];
    center[axis] = at[axis]!;
    core[axis] = thin;
    return box(center, core);
  };
  // what lies flat has no top: the side away from the eye then
  if (edge === "top") return [size[1] > 0.02 * long ? across(1, hi) : across(2, lo)];
  if (edge === "foot") return [size[1] > 0.02 * long ? across(1, lo) : across(2, hi)];
  if (edge === "left") return [across(0, lo)];
  if (edge === "right") return [across(0, hi)];
  if (edge === "ends") return [across(longest, lo), across(longest, hi)];
  const sides = [0, 1, 2].filter((k) => k !== size.indexOf(Math.min(...size)));
  return [0, 1, 2, 3].map((k) => {
    const at = [...middle] as Vec;
    sides.forEach((axis, j) => (at[axis] = (k & (1 << j) ? hi : lo)[axis]!));
    return box(at, [2 * thin, 2 * thin, 2 * thin]);
  });
}

/** A layer of a falloff, laid over those beneath where it is greater. */
export const overLayer = (shape: object): object => ({
  shape,
  profile: "smooth",
  low: 0,
  high: 1,
  invert: false,
  blend: "max",
  opacity: 1,
  color: null,
  color_blend: "normal",
  color_opacity: 1,
});

const SIDES: readonly Edge[] = ["top", "foot", "left", "right"];

/** The side of what lies between two corners that a point is nearest to, as a box about it. */
export function nearestEdge(at: Vec, lo: Vec, hi: Vec): object {
  const boxes = SIDES.map((side) => edgeBox(side, lo, hi)[0] as { center: Vec; core: Vec });
  const away = ({ center, core }: { center: Vec; core: Vec }): number =>
    Math.hypot(...at.map((x, k) => Math.max(0, Math.abs(x - center[k]!) - core[k]! / 2)));
  return boxes.reduce((a, b) => (away(b) < away(a) ? b : a));
}
