/** Units that mesh files are made in. */

export const UNIT_SIZES = { m: 1, cm: 0.01, mm: 0.001, ft: 0.3048, in: 0.0254 } as const;
export type FileUnit = keyof typeof UNIT_SIZES;

/** longest sides of things that are broken, as a rule [m] */
const LEAST = 0.1;
const MOST = 60;

/** The unit a file seems to be made in, by its longest side in its own unit: metres unless that is far too large. */
export function proposedUnit(longest: number): FileUnit {
  const likely = (["m", "cm", "mm"] as const).find(
    (u) => longest * UNIT_SIZES[u] <= MOST && longest * UNIT_SIZES[u] >= LEAST,
  );
  return likely ?? "m";
}
