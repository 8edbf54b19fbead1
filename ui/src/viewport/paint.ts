/** Lays transforms and colours of everything shown into the piece batch. */
import type { Shown } from "../composables/useShown";
import type { FrameData } from "../lib/frames";
import { hexColor, pieceColor, ramp, steady, type Rgb } from "../lib/ramp";
import { multiply, turn, type Quat, type Vec } from "../lib/rotation";
import type { Packed } from "../api/packed";
import { explodedBy, pieceFigures } from "../lib/pieces";
import type { ColorBy } from "../stores/view";
import type { PieceBatch } from "./PieceBatch";

export const STATE_COLORS: Rgb[] = [
  [0.66, 0.77, 0.42],
  [0.5, 0.58, 0.6],
  [0.91, 0.93, 0.9],
  [0.71, 0.61, 0.82],
  [0.3, 0.3, 0.3],
];
export const TIER_COLORS: Rgb[] = [
  [0.55, 0.6, 0.6],
  [0.36, 0.62, 0.66],
  [0.62, 0.72, 0.45],
  [0.85, 0.72, 0.4],
  [0.72, 0.6, 0.8],
];

/** The colour of a piece where these tell pieces, tiers or sizes apart; null where nothing is to be told. */
export function toldApart(by: ColorBy, packed: Packed, p: number): Rgb | null {
  const figures = pieceFigures(packed);
  if (figures.count < 2) return null;
  if (by === "piece") return pieceColor(p);
  if (by === "tier") return TIER_COLORS[figures.tier[p]!]!;
  if (by !== "size") return null;
  return ramp(Math.log(packed.volume![p]! / figures.low) / (Math.log(figures.high / figures.low) || 1));
}

export interface Paint {
  colorBy: ColorBy;
  explode: readonly number[];
  /** the body or group whose pieces are picked, and the pieces (within a copy) */
  chosen: ReadonlySet<string>;
  hidden: ReadonlySet<string>;
  whole: boolean;
  picked: ReadonlySet<number>;
  /** the frame of a take that is shown, null in the set-up */
  frame: FrameData | null;
  reach: readonly number[] | undefined;
  /** colour of a piece by a map, by weight or by the fields that act, where one of these is chosen */
  own: ((piece: number) => Rgb | null) | null;
  held: (name: string, piece: number) => boolean;
  strengths: ReadonlyMap<string, Float32Array>;
  /** frame that first shows a broken bond, for bodies shown intact until then */
  brokeAt: ReadonlyMap<string, number>;
}

/** Mean strength [kN] of each piece's bonds, and the largest. */
function meanStrength(shown: Shown, strength: Float32Array | undefined): { mean: Float32Array; top: number } {
  const count = shown.packed.volume!.length;
  const mean = new Float32Array(count);
  const many = new Float32Array(count);
  const ends = shown.packed.bond_piece!;
  strength?.forEach((s, b) => {
    for (const p of [ends[b * 2]!, ends[b * 2 + 1]!]) {
      mean[p]! += s;
      many[p]!++;
    }
  });
  let top = 0;
  for (let p = 0; p < count; p++) {
    if (many[p]) mean[p]! /= many[p]!;
    top = Math.max(top, mean[p]!);
  }
  return { mean, top };
}

export function paint(batch: PieceBatch, shown: readonly Shown[], how: Paint): void {
  const usable = how.frame && how.frame.pieces === batch.count ? how.frame : null;
  const f = usable?.index ?? 0;
  shown.forEach((thing, b) => {
    const { body, packed, copies, name } = thing;
    const figures = pieceFigures(packed);
    const base = hexColor(body.material.look?.color ?? "#b4b1a4");
    const many = figures.count > 1;
    const chosen = how.chosen.has(name);
    const drawn = how.hidden.has(name) ? 0 : 1;
    const center = packed.center as Float32Array;
    const strength = how.colorBy === "strength" ? meanStrength(thing, how.strengths.get(name)) : null;
    const intact = body.release?.kind === "intact" && f < (how.brokeAt.get(name) ?? Infinity);
    copies.forEach((copy, c) => {
      for (let p = 0; p < figures.count; p++) {
        const piece = batch.first[b]! + c * figures.count + p;
        let state = 2;
        if (usable) {
          const { position: x, orientation: o, state: states } = usable.arrays as Record<string, Float32Array>;
          const at = piece;
          const q = multiply([o![at * 4]!, o![at * 4 + 1]!, o![at * 4 + 2]!, o![at * 4 + 3]!], copy.rotation);
          state = states![at]!;
          batch.setTransform(piece, x![at * 3]!, x![at * 3 + 1]!, x![at * 3 + 2]!, q, 0, state, copy.size * drawn);
        } else {
          const off = explodedBy(figures, p, how.explode);
          const local = off.map((x, k) => (center[p * 3 + k]! + x) * copy.size) as Vec;
          const w = turn(copy.rotation, local);
          state = body.role === "active" && how.held(name, piece) ? 0 : 2;
          batch.setTransform(
            piece,
            w[0] + copy.position[0],
            w[1] + copy.position[1],
            w[2] + copy.position[2],
            copy.rotation as Quat,
            0,
            state,
            copy.size * drawn,
          );
        }
        let color: Rgb = base;
        const reach = how.reach?.[piece];
        const mapped = how.own?.(piece);
        const told = toldApart(how.colorBy, packed, p);
        if (mapped) color = mapped;
        else if (how.own) color = [base[0] * 0.5, base[1] * 0.5, base[2] * 0.5];
        else if (told) color = told;
        else if (strength && strength.top > 0) color = ramp(strength.mean[p]! / strength.top);
        else if (how.colorBy === "state")
          color = body.role === "passive" ? [base[0] * 0.6, base[1] * 0.6, base[2] * 0.6] : STATE_COLORS[state]!;
        else if (reach !== undefined)
          color = reach > 0 ? ramp(reach) : [base[0] * 0.55, base[1] * 0.55, base[2] * 0.55];
        else if (!intact && (many || copies.length > 1)) {
          const d = 0.93 + 0.12 * steady(many ? p : c, 5);
          color = [base[0] * d, base[1] * d, base[2] * d];
        }
        batch.setColor(
          piece,
          color[0],
          color[1],
          color[2],
          chosen && (how.picked.size ? how.picked.has(p) : how.whole),
        );
      }
    });
  });
  batch.changed();
}
