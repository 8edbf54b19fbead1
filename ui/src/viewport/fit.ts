/** How far a camera must stand, and what it must look at, to see all of something. */
import type { Vec } from "../lib/rotation";

/** Share of the picture's width and height that it may fill. */
const FILL = 0.72;

/**
 * Nearest place from which all points are seen: the point looked at, and the distance to it.  azimuth, polar: direction
 * of the camera from the point, as spherical angles about y [rad]; fov: of the height [rad]. A point at x across and z
 * towards the camera is seen if |x - x0| <= t (D - z), t the tangent of half the angle: points i and j both where D >=
 * (x_i / t + z_i) / 2 + (z_j - x_j / t) / 2. The greatest sum of these is the distance, and x0 lies in the middle of
 * what is then left.
 */
export function fit(
  points: readonly Vec[],
  azimuth: number,
  polar: number,
  fov: number,
  aspect: number,
): { at: Vec; distance: number } {
  const [sa, ca, sp, cp] = [Math.sin(azimuth), Math.cos(azimuth), Math.sin(polar), Math.cos(polar)];
  const back: Vec = [sp * sa, cp, sp * ca];
  const axes: Vec[] = [
    [ca, 0, -sa],
    [-cp * sa, sp, -cp * ca],
  ];
  const tall = FILL * Math.tan(fov / 2);
  const dot = (a: Vec, b: Vec): number => a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
  const ends = [tall * aspect, tall].map((t, k) => {
    let [most, least] = [-Infinity, -Infinity];
    for (const p of points) {
      const [x, z] = [dot(axes[k]!, p), dot(back, p)];
      most = Math.max(most, x / t + z);
      least = Math.max(least, z - x / t);
    }
    return { t, most, least };
  });
  const depth = Math.max(...ends.map((e) => (e.most + e.least) / 2)); // along the way back, from the origin
  const nearest = points.reduce((z, p) => Math.max(z, dot(back, p)), -Infinity);
  const farthest = points.reduce((z, p) => Math.min(z, dot(back, p)), Infinity);
  const middle = (nearest + farthest) / 2;
  const shift = ends.map((e) => (e.t * (e.most - e.least)) / 2);
  return {
    at: back.map((b, c) => b * middle + axes[0]![c]! * shift[0]! + axes[1]![c]! * shift[1]!) as Vec,
    distance: depth - middle,
  };
}
