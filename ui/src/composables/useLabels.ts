/** Names of fields in the view, with how much they reach. */
import { ref, type ComputedRef, type Ref, type ShallowRef } from "vue";
import { FAMILY, FAMILY_COLOR, layersOf } from "../lib/document";
import type { Vec } from "../lib/rotation";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useView } from "../stores/view";
import type { Reach, Stage } from "../viewport/Stage";

export interface Label {
  name: string;
  text: string;
  x: number;
  y: number;
  width: number;
  color: string;
  chosen: boolean;
}

export function useLabels(
  stage: ShallowRef<Stage | null>,
  inTake: ComputedRef<boolean>,
): { labels: Ref<Label[]>; placeLabels: () => void } {
  const shot = useShot();
  const survey = useSurvey();
  const view = useView();
  const labels = ref<Label[]>([]);

  /** Names of fields with what they reach, above where they are. */
  function placeLabels(): void {
    const s = stage.value;
    if (!s) return;
    const on = !inTake.value && view.step === "drive";
    labels.value = !on
      ? []
      : shot.fields
          .filter((f) => f.on)
          .flatMap((f) => {
            const shape = layersOf(f, shot.document).find((l) => "center" in l.shape)?.shape as unknown as
              | { center: Vec; core?: number | number[]; edge?: number; height?: number }
              | undefined;
            const stood = survey.result?.stands[f.name] as Reach["stood"];
            let c = shape?.center ?? ([0, 0, 0] as Vec);
            if (stood)
              c = [0, 1, 2].map(
                (i) => stood.shift[i]! + [0, 1, 2].reduce((sum, j) => sum + stood.turn[i * 3 + j]! * c[j]!, 0),
              ) as Vec;
            const up = !shape
              ? 0.4
              : Array.isArray(shape.core)
                ? shape.core[1]! / 2 + (shape.edge ?? 0)
                : Math.max((shape.core ?? 0.4) + (shape.edge ?? 0), (shape.height ?? 0) / 2 + (shape.edge ?? 0));
            const at = s.project(c[0], c[1] + up, c[2]);
            const t = survey.totals(f.name);
            const text = !t.known
              ? "counting"
              : f.effect.kind === "anchor"
                ? `holds ${t.pieces}`
                : f.effect.kind === "strain"
                  ? `breaks ${t.breaks} of ${t.bonds}`
                  : `reaches ${t.pieces}`;
            return at
              ? [
                  {
                    name: f.name,
                    text,
                    x: at.x,
                    y: at.y - 8,
                    width: 7 * (f.name.length + text.length) + 20,
                    color: FAMILY_COLOR[FAMILY[f.effect.kind]],
                    chosen: view.selection?.name === f.name,
                  },
                ]
              : [];
          });
    for (const [k, l] of labels.value.entries())
      // one above the other where they would cover each other
      while (
        labels.value.slice(0, k).some((o) => Math.abs(o.y - l.y) < 19 && Math.abs(o.x - l.x) < (o.width + l.width) / 2)
      )
        l.y -= 19;
  }

  return { labels, placeLabels };
}
