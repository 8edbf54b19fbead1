/** Why nothing happened in a take, in one sentence with the way on. */
import type { Crossing, ShotDocument } from "../api/types";
import { FAMILY } from "./document";
import { showNumber } from "./units";

/** Empty where something broke or moved. */
export function whyStill(
  document: ShotDocument | null,
  stats: Record<string, readonly number[]>,
  crossings: readonly Crossing[],
): string {
  const none = (values: readonly number[] | undefined): boolean => !!values?.length && values.every((x) => x === 0);
  if (!document || !none(stats.bonds_broken) || !none(stats.moving)) return "";
  if (stats.deforming && !none(stats.deforming)) return "";
  const start = "Nothing broke and nothing moved: ";
  const active = [...document.bodies, ...document.groups.map((g) => g.body)].filter((b) => b.role === "active");
  if (!active.length) return `${start}no body is active. Give one the role active under Build.`;
  const acting = document.fields.filter((f) => f.on && FAMILY[f.effect.kind] !== "holds");
  if (!acting.length) return `${start}no field breaks or moves anything. Add one under Drive.`;
  const reached = (name: string): Crossing[] => crossings.filter((c) => c.field === name && c.pieces > 0);
  const idle = acting.filter((f) => !reached(f.name).length);
  if (idle.length === acting.length)
    return `${start}${idle[0]!.name} reaches no piece. Move it or make it wider under Drive.`;
  for (const f of acting) {
    if (f.effect.kind !== "strain") continue;
    const own = reached(f.name);
    const load = Math.max(...own.map((c) => c.load_top));
    const low = Math.min(...own.map((c) => c.strength_low));
    if (own.length && load < low && Number.isFinite(low))
      return `${start}${f.name} loads the bonds with ${showNumber(load, 3)} kN at most; the weakest it reaches bears ${showNumber(low, 3)}. Raise its load, or weaken the bonds.`;
  }
  const holds = document.fields.filter((f) => f.on && f.effect.kind === "anchor" && reached(f.name).length);
  if (holds.length) return `${start}${holds[0]!.name} holds what the fields reach. Make it narrower, or let go of it.`;
  return `${start}what acts is weaker than what holds. Raise it, or let it act longer.`;
}
