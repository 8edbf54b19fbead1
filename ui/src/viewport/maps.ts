/**
 * Colours of pieces by what a take or the survey knows of each: a map, the weight it bears, the fields that act on it.
 */
import type { ShotDocument, Survey } from "../api/types";
import { FAMILY, RAMPS, type Family } from "../lib/document";
import { between, ramp, type Rgb } from "../lib/ramp";
import type { Frames } from "../stores/takes";

/** Of several fields that act on a piece, the one of the first of these families gives the colour. */
const FIRST: Family[] = ["ends", "breaks", "moves", "holds"];

/** Names of the fields that acted on a piece at a frame, by the bits a take keeps. */
export function actedOn(frames: Frames, document: ShotDocument, frame: number, piece: number): string[] {
  const wide = frames.wide.acted;
  if (!wide) return [];
  const at = (frame * frames.pieces + piece) * wide;
  return document.fields.flatMap((f, k) => (frames.maps.acted![at + (k >> 3)]! & (1 << (k & 7)) ? [f.name] : []));
}

export function byFields(
  frames: Frames,
  document: ShotDocument,
  frame: number,
  colors: Record<Family, Rgb>,
): (piece: number) => Rgb | null {
  const family = new Map(document.fields.map((f) => [f.name, FAMILY[f.effect.kind]]));
  return (piece) => {
    const own = actedOn(frames, document, frame, piece).map((name) => family.get(name)!);
    const first = FIRST.find((f) => own.includes(f));
    return first ? colors[first] : null;
  };
}

export function byWeight(frames: Frames, frame: number): (piece: number) => Rgb | null {
  return (piece) => {
    const share = frames.maps.load?.[frame * frames.pieces + piece];
    return share === undefined ? null : ramp(share);
  };
}

/** By a map: of a take at a frame, or of the survey before a run. */
export function byMap(
  document: ShotDocument,
  name: string,
  frames: Frames | null,
  frame: number,
  survey: Survey | null,
): ((piece: number) => Rgb | null) | null {
  const stops = RAMPS[document.maps.find((m) => m.name === name)?.ramp ?? "ember"];
  const values = frames ? frames.maps[`map/${name}`] : survey?.maps[name]?.values;
  const tint = frames
    ? frames.maps[`tint/${name}`]
    : survey?.maps[name]?.tint.length
      ? survey.maps[name].tint.flat()
      : undefined;
  if (!values) return null;
  const from = frames ? frame * frames.pieces : 0;
  return (piece) => {
    const at = from + piece;
    return tint ? ([0, 1, 2].map((k) => tint[at * 3 + k]! / 255) as Rgb) : between(stops, values[at]!);
  };
}
