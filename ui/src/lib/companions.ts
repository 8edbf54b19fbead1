/** What must go along with what is chosen of an effect: without it the shot would be refused. */
import type { Thing } from "../stores/shot";

/** Things with a surface that can be followed; a rope has none. */
export const surfaces = (things: readonly Thing[]): Thing[] => things.filter((t) => t.body.matter.kind !== "rope");
/** Things that carry others along. */
export const carriers = (things: readonly Thing[]): Thing[] => things.filter((t) => t.body.role === "animated");

/** Name the first body that will do where one is needed now, and none where none is. */
export function withCompanions(effect: Record<string, unknown>, things: readonly Thing[]): void {
  if (effect.kind === "attractor")
    effect.body = effect.to === "surface" ? (effect.body ?? surfaces(things)[0]?.name ?? null) : null;
  if (effect.kind === "anchor")
    effect.carrier = effect.hold === "carried" ? (effect.carrier ?? carriers(things)[0]?.name ?? null) : null;
}
