/** Colours of the vertices of bodies that deform, by what a take has of them. */
import type { ShotDocument } from "../api/types";
import { FAMILY, RAMPS, type Family } from "./document";
import type { FrameData } from "./frames";
import { between, ramp, type Rgb } from "./ramp";

/** speeds at both ends of the ramp [m/s], on a scale of tens */
export const SPEEDS: [number, number] = [0.01, 30];
/** of several fields that act, the one of the first of these families gives the colour */
const FIRST: Family[] = ["ends", "breaks", "moves", "holds"];

/** A colour as one number, as shaders take it; below 0 is none. */
export const packed = (color: Rgb | null): number =>
  color ? color.reduce((sum, c) => sum * 256 + Math.round(255 * Math.max(0, Math.min(1, c))), 0) : -1;

/** Where a speed lies on the ramp. */
export const speedShare = (speed: number): number =>
  Math.log(Math.max(speed, SPEEDS[0]) / SPEEDS[0]) / Math.log(SPEEDS[1] / SPEEDS[0]);

/** Speeds on the ramp (n), of points in a frame and in the one before. */
export function speeds(now: ArrayLike<number>, before: ArrayLike<number>, fps: number): (k: number) => number {
  return (k) => {
    const way = [0, 1, 2].map((c) => now[k * 3 + c]! - before[k * 3 + c]!);
    return speedShare(Math.hypot(...way) * fps);
  };
}

/** The families' colours by the bits of what acted on each of n things; each has ``wide`` bytes. */
export function actedColors(
  bits: ArrayLike<number>,
  wide: number,
  fields: ShotDocument["fields"],
  colors: Record<Family, Rgb>,
): (k: number) => number {
  const order = fields
    .map((f, bit) => ({ bit, family: FAMILY[f.effect.kind] }))
    .sort((a, b) => FIRST.indexOf(a.family) - FIRST.indexOf(b.family));
  return (k) => {
    const own = order.find(({ bit }) => (bits[k * wide + (bit >> 3)]! >> (bit & 7)) & 1);
    return packed(own ? colors[own.family] : null);
  };
}

/** By a map of the shot, with its own ramp, or the colours its falloff has. */
export function mapColors(
  arrays: FrameData["arrays"],
  body: string,
  name: string,
  ramps: string | undefined,
): ((k: number) => number) | null {
  const tint = arrays[`color/${name}/${body}`];
  const values = arrays[`value/${name}/${body}`];
  if (tint?.length) return (k) => packed([0, 1, 2].map((c) => tint[k * 3 + c]! / 255) as Rgb);
  if (!values) return null;
  const stops = RAMPS[(ramps ?? "ember") as keyof typeof RAMPS];
  return (k) => packed(between(stops, values[k]!));
}

export const TOUCHED: Rgb = ramp(1);
