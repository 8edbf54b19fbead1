/** How far a camera must stand, and at what look, to see a whole box. */
import type { Vec } from "../lib/rotation";

/** Share of the picture's width and height that the box may fill. */
const FILL = 0.84;

/**
 * Nearest place from which all corners of the box lo..hi are seen: the point looked at, and the distance to it.
 *
 * azimuth, polar: direction of the camera from the point, as spherical angles about y [rad]; fov: of the height [rad].
 * Corner i at (x, y) across and z towards the camera is seen if |x_i - x| <= t (D - z_i), t the tangent of half the angle: two corners i, j can both be
 * where D >= (x_i - x_j) / 2t + (z_i + z_j) / 2, so the greatest of these is the distance.
 */
export function fit(lo: Vec, hi: Vec, azimuth: number, polar: number, fov: number, aspect: number): { at: Vec; distance: number } {
  const [sa, ca, sp, cp] = [Math.sin(azimuth), Math.cos(azimuth), Math.sin(polar), Math.cos(polar)];
  const back: Vec = [sp * sa, cp, sp * ca];
  const right: Vec = [ca, 0, -sa];
  const up: Vec = [-cp * sa, sp, -cp * ca];
  const middle = lo.map((l, c) => (l + hi[c]!) / 2) as Vec;
  const corners = Array.from({ length: 8 }, (_, k) => {
    const p = middle.map((m, c) => ((k >> c) & 1 ? hi[c]! : lo[c]!) - m);
    return [right, up, back].map((axis) => axis[0] * p[0]! + axis[1] * p[1]! + axis[2] * p[2]!) as Vec;
  });
  const tall = FILL * Math.tan(fov / 2);
  const spans = [tall * aspect, tall];
  let distance = 0;
  for (const [axis, t] of spans.entries()) for (const i of corners) for (const j of corners) distance = Math.max(distance, (i[axis]! - j[axis]!) / (2 * t) + (i[2] + j[2]) / 2);
  const shift = spans.map((t, axis) => {
    const least = Math.max(...corners.map((c) => c[axis]! - t * (distance - c[2])));
    const most = Math.min(...corners.map((c) => c[axis]! + t * (distance - c[2])));
    return (least + most) / 2;
  });
  return { at: middle.map((m, c) => m + right[c]! * shift[0]! + up[c]! * shift[1]!) as Vec, distance };
}
