import { computed, reactive } from "vue";
import { useTakes } from "../stores/takes";

/** Numbers of the take shown, frame by frame; seams opened, and the greatest stretch, where something deforms. */
export interface TakeStats {
  readonly broken: readonly number[];
  /** pieces, and bodies that deform */
  readonly moving: readonly number[];
  readonly energy: readonly number[];
  /** [m], to a hundredth of a millimetre */
  readonly overlap: readonly number[];
  readonly torn: readonly number[];
  readonly stretch: readonly number[];
}

export function useTakeStats(): TakeStats {
  const takes = useTakes();
  return reactive({
    broken: computed(() => takes.stats.bonds_broken ?? []),
    moving: computed(() => (takes.stats.moving ?? []).map((n, f) => n + (takes.stats.deforming?.[f] ?? 0))),
    energy: computed(() => takes.stats.energy ?? []),
    overlap: computed(() => (takes.stats.overlap ?? []).map((x) => Math.round(x * 1e5) / 1e5)),
    torn: computed(() => takes.stats.seams_opened ?? []),
    stretch: computed(() => takes.stats.stretch ?? []),
  });
}
