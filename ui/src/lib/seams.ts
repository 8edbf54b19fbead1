/** Seams of bodies that deform, in the set-up. */
import type { Met } from "../viewport/meets";
import { ramp, type Rgb } from "./ramp";
import type { Vec } from "./rotation";

export interface SeamTable {
  /** two pieces each */
  piece: Int32Array;
  /** [kN]; 0 where cut */
  strength: Float32Array;
  /** [m] of cloth, [m2] of soft bodies */
  size: Float32Array;
  /** two drawn vertices each, and the seam of each */
  line: Int32Array;
  of: Int32Array;
}
export type SeamColor = "strength" | "load";

const CUT: Rgb = [1, 0.3, 0.2];
const PICKED: Rgb = [1, 1, 1];

/** Loads are shown only where they are known. */
export const seamsAs = (wanted: SeamColor, known: boolean): SeamColor => (known ? wanted : "strength");

/** Lines along seams and their colours. place: where a drawn vertex is */
export function seamLines(
  seams: SeamTable,
  place: (vertex: number) => Vec,
  by: SeamColor,
  loads: ArrayLike<number> | undefined,
  picked: readonly number[],
): { at: Float32Array<ArrayBuffer>; colors: Float32Array<ArrayBuffer> } {
  const count = seams.of.length;
  const at = new Float32Array(count * 6);
  const colors = new Float32Array(count * 3);
  const per = seams.strength.map((s, q) => s / Math.max(seams.size[q]!, 1e-9));
  const top = per.reduce((a, b) => Math.max(a, b), 1e-9);
  const color = (q: number): Rgb => {
    if (picked.includes(q)) return PICKED;
    if (!(seams.strength[q]! > 0)) return CUT;
    return ramp(by === "load" && loads ? loads[q]! / seams.strength[q]! : 0.15 + 0.7 * (per[q]! / top));
  };
  const known = new Map<number, Rgb>();
  for (let k = 0; k < count; k++) {
    const q = seams.of[k]!;
    at.set([...place(seams.line[k * 2]!), ...place(seams.line[k * 2 + 1]!)], k * 6);
    const own = known.get(q) ?? color(q);
    known.set(q, own);
    colors.set(own, k * 3);
  }
  return { at, colors };
}

/** The seam nearest to where the body was met; -1 where none is within reach [m]. */
export function seamNear(
  seams: SeamTable,
  place: (vertex: number) => Vec,
  met: Pick<Met, "at">,
  reach: number,
): number {
  let [best, found] = [reach, -1];
  for (let k = 0; k < seams.of.length; k++) {
    const [a, b] = [place(seams.line[k * 2]!), place(seams.line[k * 2 + 1]!)];
    const d = b.map((x, c) => x - a[c]!) as Vec;
    const long2 = d[0] ** 2 + d[1] ** 2 + d[2] ** 2;
    const away = met.at.map((x, c) => x - a[c]!) as Vec;
    const t = long2 > 0 ? Math.max(0, Math.min(1, (away[0] * d[0] + away[1] * d[1] + away[2] * d[2]) / long2)) : 0;
    const gap = Math.hypot(...away.map((x, c) => x - t * d[c]!));
    if (gap < best) [best, found] = [gap, seams.of[k]!];
  }
  return found;
}

type Pair = [number, number];

/** Pairs of pieces whose seams are cut, with others cut or mended. */
export function withCut(cut: readonly Pair[], pairs: readonly Pair[], mend: boolean): Pair[] {
  const key = ([a, b]: readonly number[]): string => `${Math.min(a!, b!)},${Math.max(a!, b!)}`;
  const own = new Set(pairs.map(key));
  const left = cut.filter((p) => !own.has(key(p)));
  return mend ? left : [...left, ...pairs];
}
