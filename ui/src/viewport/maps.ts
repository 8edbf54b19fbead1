/**
 * Colours of pieces by what a take or the survey knows of each: a map, the weight it bears, the fields that act on it.
 */
import type { ShotDocument, Survey } from "../api/types";
import { FAMILY, RAMPS, type Family } from "../lib/document";
import { widthOf, type FrameData } from "../lib/frames";
import { between, ramp, type Rgb } from "../lib/ramp";

/** Of several fields that act on a piece, the one of the first of these families gives the colour. */
const FIRST: Family[] = ["ends", "breaks", "moves", "holds"];

/** Names of the fields that acted on a piece at a frame, by the bits a take keeps. */
export function actedOn(frame: FrameData, document: ShotDocument, piece: number): string[] {
  const bits = frame.arrays.acted;
  if (!bits) return [];
  const at = piece * widthOf(frame, "acted");
  return document.fields.flatMap((f, k) => (bits[at + (k >> 3)]! & (1 << (k & 7)) ? [f.name] : []));
}

export function byFields(
  frame: FrameData,
  document: ShotDocument,
  colors: Record<Family, Rgb>,
): (piece: number) => Rgb | null {
  const family = new Map(document.fields.map((f) => [f.name, FAMILY[f.effect.kind]]));
  return (piece) => {
    const own = actedOn(frame, document, piece).map((name) => family.get(name)!);
    const first = FIRST.find((f) => own.includes(f));
    return first ? colors[first] : null;
  };
}

export function byWeight(frame: FrameData): (piece: number) => Rgb | null {
  return (piece) => {
    const share = frame.arrays.load?.[piece];
    return share === undefined ? null : ramp(share);
  };
}

/** By a map: of a take at a frame, or of the survey before a run. */
export function byMap(
  document: ShotDocument,
  name: string,
  frame: FrameData | null,
  survey: Survey | null,
): ((piece: number) => Rgb | null) | null {
  const stops = RAMPS[document.maps.find((m) => m.name === name)?.ramp ?? "ember"];
  const values = frame ? frame.arrays[`map/${name}`] : survey?.maps[name]?.values;
  const tint = frame
    ? frame.arrays[`tint/${name}`]
    : survey?.maps[name]?.tint.length
      ? survey.maps[name].tint.flat()
      : undefined;
  if (!values) return null;
  return (piece) => (tint ? ([0, 1, 2].map((k) => tint[piece * 3 + k]! / 255) as Rgb) : between(stops, values[piece]!));
}
