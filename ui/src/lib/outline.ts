/** Outlines of cut faces: edges of cut triangles where the surface bends or meets the skin. */
import type { Packed } from "../api/packed";

const FLAT = 0.9995;

/** Segment ends relative to each piece's centre (two points a segment), and the piece of each end. */
export function cutOutline(packed: Packed): { position: Float32Array<ArrayBuffer>; piece: number[] } {
  const { vertices, faces, face_start, skin, center } = packed as Record<string, Float32Array>;
  const points: number[] = [];
  const piece: number[] = [];
  const normal = (f: number): [number, number, number] => {
    const [a, b, c] = [0, 1, 2].map((k) => faces![f * 3 + k]! * 3) as [number, number, number];
    const u = [0, 1, 2].map((k) => vertices![b + k]! - vertices![a + k]!);
    const v = [0, 1, 2].map((k) => vertices![c + k]! - vertices![a + k]!);
    const n = [u[1]! * v[2]! - u[2]! * v[1]!, u[2]! * v[0]! - u[0]! * v[2]!, u[0]! * v[1]! - u[1]! * v[0]!];
    const l = Math.hypot(...n) || 1;
    return [n[0]! / l, n[1]! / l, n[2]! / l];
  };
  for (let p = 0; p + 1 < face_start!.length; p++) {
    const edges = new Map<string, { n: [number, number, number]; skin: number; a: number; b: number } | null>();
    for (let f = face_start![p]!; f < face_start![p + 1]!; f++) {
      const n = normal(f);
      for (let k = 0; k < 3; k++) {
        const a = faces![f * 3 + k]!;
        const b = faces![f * 3 + ((k + 1) % 3)]!;
        const key = a < b ? `${a},${b}` : `${b},${a}`;
        const other = edges.get(key);
        if (other === undefined) edges.set(key, { n, skin: skin![f]!, a, b });
        else if (other) {
          const bent = other.n[0] * n[0] + other.n[1] * n[1] + other.n[2] * n[2] < FLAT;
          const cut = !other.skin || !skin![f]!;
          edges.set(key, null);
          if (!cut || !bent) continue;
          for (const v of [a, b]) {
            for (let c = 0; c < 3; c++) points.push(vertices![v * 3 + c]! - center![p * 3 + c]!);
            piece.push(p);
          }
        }
      }
    }
  }
  return { position: new Float32Array(points), piece };
}
