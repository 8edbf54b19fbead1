import { describe, expect, it } from "vitest";
import * as THREE from "three";
import type { Vec } from "../lib/rotation";
import { fit } from "./fit";

/** Where the corners of a box fall in the picture, -1 to 1 each way. */
function seen(lo: Vec, hi: Vec, azimuth: number, polar: number, fov: number, aspect: number): THREE.Vector3[] {
  const corners = Array.from({ length: 8 }, (_, k) => [0, 1, 2].map((c) => ((k >> c) & 1 ? hi[c]! : lo[c]!)) as Vec);
  const { at, distance } = fit(corners, azimuth, polar, fov, aspect);
  const camera = new THREE.PerspectiveCamera((fov * 180) / Math.PI, aspect, 0.01, 1e6);
  camera.position.setFromSphericalCoords(distance, polar, azimuth).add(new THREE.Vector3(...at));
  camera.lookAt(...at);
  camera.updateMatrixWorld();
  return corners.map((c) => new THREE.Vector3(...c).project(camera));
}

describe("fit", () => {
  const boxes: [string, Vec, Vec, number][] = [
    ["a tall one", [-1, 0, -1], [1, 9, 1], 1.1],
    ["a long one, away from the middle", [8, 0, -13], [14, 5, -3], 1.1],
    ["a flat one in a wide picture", [-20, 0, -30], [5, 0.1, 2], 2.4],
    ["a small one", [0.01, 0.01, 0.01], [0.013, 0.012, 0.02], 0.7],
  ];
  it.each(boxes)("sees the whole of %s, no smaller than it need be", (_, lo, hi, aspect) => {
    const at = seen(lo, hi, 0.62, 1.32, 0.66, aspect);
    const wide = Math.max(...at.map((p) => Math.abs(p.x))),
      tall = Math.max(...at.map((p) => Math.abs(p.y)));
    expect(Math.max(wide, tall)).toBeCloseTo(0.72, 6);
    expect(Math.min(wide, tall)).toBeLessThanOrEqual(0.72 + 1e-6);
  });
});
