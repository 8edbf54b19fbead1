/** Figures worked out once from a body's packed pieces: how chunks of each tier lie, and which bonds a piece has. */
import type { Packed } from "../api/packed";

export const TIERS = 4;

export interface PieceFigures {
  count: number;
  /** tier each piece was made on, 0 for a whole body */
  tier: Uint8Array;
  /** deepest tier of any piece */
  tiers: number;
  /** (count, 4, 3): from the middle of the chunk one tier up to the middle of the piece's chunk on that tier */
  apart: Float32Array;
  /** volume range of the pieces */
  low: number;
  high: number;
}

const known = new WeakMap<Packed, PieceFigures>();
const parts = new WeakMap<Packed, Packed>();

/** The pieces of a body: its own, or those of what deforms, whose surface is drawn as one. */
export function partsOf(packed: Packed): Packed {
  if (!packed.part_volume) return packed;
  let out = parts.get(packed);
  if (!out) {
    const { part_volume: volume, part_center: center, part_path: path } = packed;
    parts.set(packed, (out = { volume, center, path } as Packed));
  }
  return out;
}

/** The middle of the vertices of each piece, by the piece of every vertex and where vertices are. */
export function middlesOf(
  part: ArrayLike<number>,
  placeOf: (vertex: number) => readonly number[],
): [number, number, number][] {
  const out: [number, number, number][] = [];
  const many: number[] = [];
  for (let v = 0; v < part.length; v++) {
    const p = part[v]!;
    for (let k = out.length; k <= p; k++) {
      out.push([0, 0, 0]);
      many.push(0);
    }
    placeOf(v).forEach((x, c) => (out[p]![c]! += x));
    many[p]!++;
  }
  return out.map((sum, p) => sum.map((x) => x / Math.max(1, many[p]!)) as [number, number, number]);
}

/** How far a piece stands off its place in an exploded view, in its body's frame. */
export function explodedBy(figures: PieceFigures, p: number, explode: readonly number[]): [number, number, number] {
  const out: [number, number, number] = [0, 0, 0];
  for (let t = 0; t < TIERS; t++) {
    const by = explode[t] ?? 0;
    if (by > 0) for (let c = 0; c < 3; c++) out[c]! += by * figures.apart[(p * TIERS + t) * 3 + c]!;
  }
  return out;
}

export function pieceFigures(packed: Packed): PieceFigures {
  let out = known.get(packed);
  if (!out) known.set(packed, (out = work(packed)));
  return out;
}

function work(packed: Packed): PieceFigures {
  const { volume, center, path } = packed as Record<string, Float32Array>;
  const count = volume!.length;
  const tier = new Uint8Array(count);
  const middles: Map<string, [number, number, number, number]>[] = [];
  const key = (p: number, t: number): string => Array.from(path!.subarray(p * TIERS, p * TIERS + t)).join(",");
  for (let p = 0; p < count; p++) while (tier[p]! < TIERS && path![p * TIERS + tier[p]!]! >= 0) tier[p]!++;
  for (let t = 0; t <= TIERS; t++) {
    const map = new Map<string, [number, number, number, number]>();
    for (let p = 0; p < count; p++) {
      const k = key(p, Math.min(t, tier[p]!));
      const sum = map.get(k) ?? [0, 0, 0, 0];
      for (let c = 0; c < 3; c++) sum[c]! += center![p * 3 + c]! * volume![p]!;
      sum[3] += volume![p]!;
      map.set(k, sum);
    }
    middles.push(map);
  }
  const apart = new Float32Array(count * TIERS * 3);
  for (let p = 0; p < count; p++) {
    for (let t = 1; t <= tier[p]!; t++) {
      const own = middles[t]!.get(key(p, t))!;
      const up = middles[t - 1]!.get(key(p, t - 1))!;
      for (let c = 0; c < 3; c++) apart[(p * TIERS + t - 1) * 3 + c] = own[c]! / own[3] - up[c]! / up[3];
    }
  }
  let low = Infinity;
  let high = 0;
  for (const v of volume!) {
    low = Math.min(low, v);
    high = Math.max(high, v);
  }
  return { count, tier, tiers: Math.max(0, ...tier), apart, low, high };
}

/** Bonds between the picked pieces and the rest: how many, and their strength together [kN]. */
export function holding(
  packed: Packed,
  strength: Float32Array | undefined,
  picked: readonly number[],
): { bonds: number; strength: number; rows: number[] } {
  const set = new Set(picked);
  const ends = packed.bond_piece!;
  const out = { bonds: 0, strength: 0, rows: [] as number[] };
  for (let b = 0; b < ends.length / 2; b++) {
    if (set.has(ends[b * 2]!) === set.has(ends[b * 2 + 1]!)) continue;
    out.rows.push(b);
    if (strength && strength[b]! > 0) {
      out.bonds++;
      out.strength += strength[b]!;
    }
  }
  return out;
}
