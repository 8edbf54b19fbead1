/** Lines through points, for ropes. */
import type { Vec } from "./rotation";

/** most segments a drawn rope is divided into, and how many a metre it has where it is shorter */
const MOST = 400;
const A_METRE = 20;

/** Length of a line through points [m]. */
export const lengthOf = (points: readonly Vec[]): number =>
  points.slice(1).reduce((sum, p, k) => sum + Math.hypot(...p.map((x, c) => x - points[k]![c]!)), 0);

/** Into how many equal segments a rope through points is divided. */
export const segmentsFor = (points: readonly Vec[]): number =>
  Math.max(8, Math.min(MOST, Math.round(lengthOf(points) * A_METRE)));

/** With slack: the points in the middle let down, so that the line is longer by a share. */
export function slackened(points: readonly Vec[], share: number): Vec[] {
  const [a, b] = [points[0]!, points.at(-1)!];
  const span = Math.hypot(...b.map((x, c) => x - a[c]!));
  if (!(share > 0) || !(span > 0)) return [a, b];
  const hung = (sag: number): Vec[] =>
    Array.from({ length: 17 }, (_, k) => {
      const t = k / 16;
      return [0, 1, 2].map((c) =>
        Number((a[c]! + t * (b[c]! - a[c]!) - (c === 1 ? 4 * sag * t * (1 - t) : 0)).toFixed(5)),
      ) as Vec;
    });
  let [low, high] = [0, span * (1 + share) * 2];
  for (let k = 0; k < 50; k++) {
    const sag = (low + high) / 2;
    if (lengthOf(hung(sag)) < span * (1 + share)) low = sag;
    else high = sag;
  }
  return hung(high);
}
