/** The trace of a piece: over the whole take, and what loads its bonds at the frame shown, once that stands still. */
import { onScopeDispose, ref, shallowRef, watch, type Ref, type ShallowRef } from "vue";
import { api, ApiError } from "../api/client";
import type { BondLoad, Trace } from "../api/types";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";

/** Milliseconds the playhead rests before loads are computed again there. */
export const RESTS = 350;
/** Frames of a bake that goes on between two looks at it. */
const MANY = 48;

export function useTrace(): {
  trace: ShallowRef<Trace | null>;
  bonds: ShallowRef<BondLoad[] | null>;
  working: Ref<boolean>;
  problem: Ref<string>;
} {
  const takes = useTakes();
  const view = useView();
  const trace = shallowRef<Trace | null>(null);
  /** null while they are not known */
  const bonds = shallowRef<BondLoad[] | null>(null);
  const working = ref(false);
  const problem = ref("");
  let asked: AbortController | null = null;
  let timer: ReturnType<typeof setTimeout> | undefined;

  function told(error: unknown, signal: AbortSignal): void {
    if (!signal.aborted) problem.value = error instanceof ApiError ? error.message : String(error);
  }

  watch(
    () => [takes.current?.id, view.traced?.piece, Math.floor((takes.current?.frames_done ?? 0) / MANY)] as const,
    async ([take, piece], before, onCleanup) => {
      const stop = new AbortController();
      onCleanup(() => stop.abort());
      if (take !== before?.[0] || piece !== before?.[1]) trace.value = null;
      problem.value = "";
      if (!take || piece === undefined) return;
      try {
        const found = await api.trace(take, piece, stop.signal);
        if (!stop.signal.aborted) trace.value = found;
      } catch (error) {
        told(error, stop.signal);
      }
    },
    { immediate: true },
  );

  async function ask(take: string, piece: number, frame: number): Promise<void> {
    const own = (asked = new AbortController());
    working.value = true;
    try {
      const found = await api.bondLoads(take, piece, frame, own.signal);
      if (asked === own) bonds.value = found.bonds;
    } catch (error) {
      told(error, own.signal);
    } finally {
      if (asked === own) working.value = false;
    }
  }

  watch(
    () => [takes.current?.id, view.traced?.piece, view.frame, view.playing] as const,
    ([take, piece, frame, playing]) => {
      asked?.abort();
      asked = null;
      working.value = false;
      bonds.value = null;
      clearTimeout(timer);
      if (take && piece !== undefined && !playing) timer = setTimeout(() => void ask(take, piece, frame), RESTS);
    },
    { immediate: true },
  );
  onScopeDispose(() => {
    clearTimeout(timer);
    asked?.abort();
  });
  return { trace, bonds, working, problem };
}
