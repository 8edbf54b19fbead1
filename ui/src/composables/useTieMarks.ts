/** Ties in the view: their lines, and the marks that choose one. */
import { ref, type ComputedRef, type Ref, type ShallowRef } from "vue";
import type { Tie } from "../api/types";
import type { FrameData } from "../lib/frames";
import { useShot } from "../stores/shot";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import type { Stage } from "../viewport/Stage";
import { drawTies, tieEnds, type TieEnds } from "../viewport/ties";
import type { Shown } from "./useShown";

export interface TieTag {
  name: string;
  kind: string;
  end: 0 | 1;
  x: number;
  y: number;
  chosen: boolean;
}

export function useTieMarks(
  stage: ShallowRef<Stage | null>,
  shown: ComputedRef<Shown[]>,
  inTake: ComputedRef<boolean>,
  time: ComputedRef<number>,
  frame: ShallowRef<FrameData | null>,
  size: Ref<number>,
): {
  tieTags: Ref<TieTag[]>;
  drawTiesNow: () => void;
  placeTieTags: () => void;
  chooseTie: (name: string, end: 0 | 1) => void;
} {
  const shot = useShot();
  const takes = useTakes();
  const view = useView();
  const tieTags = ref<TieTag[]>([]);
  let ends: TieEnds[] = [];

  /** Ties at the frame shown; in the set-up only where they are worked on. */
  function drawTiesNow(): void {
    const s = stage.value!;
    const all = inTake.value ? ((takes.document?.ties as Tie[] | undefined) ?? []) : shot.ties;
    const chosen = view.selection?.kind === "tie" ? view.selection.name : null;
    const on = inTake.value || view.step === "bind" || view.step === "drive" || view.step === "build";
    const gone = new Set(
      inTake.value
        ? takes.events.filter((e) => e.kind === "tie_broken" && e.frame <= view.frame).map((e) => e.tie!)
        : [],
    );
    const opening = takes.frames?.opening;
    const moved = frame.value && opening ? { now: frame.value, opening } : null;
    ends = on ? tieEnds(s.batch, shown.value, all, moved, time.value, gone) : [];
    const drawn = drawTies(ends, 0.02 * size.value, (name) =>
      name === chosen ? [0.31, 0.76, 0.63] : [0.66, 0.77, 0.42],
    );
    s.ties.set(drawn.ends.length ? drawn.ends : null, drawn.colors);
  }

  function placeTieTags(): void {
    const s = stage.value;
    if (!s) return;
    tieTags.value =
      inTake.value || (view.step !== "bind" && view.selection?.kind !== "tie")
        ? []
        : ends.flatMap((t) =>
            (t.kind === "string" ? ([0, 1] as const) : ([0] as const)).flatMap((end) => {
              const p = s.project(...t.ends[end]);
              return p
                ? [
                    {
                      name: t.name,
                      kind: t.kind,
                      end,
                      x: p.x,
                      y: p.y,
                      chosen: view.selection?.kind === "tie" && view.selection.name === t.name,
                    },
                  ]
                : [];
            }),
          );
  }

  function chooseTie(name: string, end: 0 | 1): void {
    view.select({ kind: "tie", name });
    view.tieEnd = end;
  }

  return { tieTags, drawTiesNow, placeTieTags, chooseTie };
}
