/** The layers of falloffs the view shows. */
import { type ComputedRef } from "vue";
import type { Layer } from "../api/types";
import { FAMILY, FAMILY_COLOR, layersOf } from "../lib/document";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useView } from "../stores/view";
import type { Reach } from "../viewport/Stage";

export function useReaches(inTake: ComputedRef<boolean>): { reaches: () => Reach[] } {
  const shot = useShot();
  const survey = useSurvey();
  const view = useView();

  /** The layers shown: of all fields in the steps that set them, else of the chosen one; of a chosen shared falloff. */
  function reaches(): Reach[] {
    if (inTake.value) return [];
    const on = view.step === "drive" || view.step === "bind";
    const chosen = view.selection?.kind === "field" ? view.selection.name : null;
    const out: Reach[] = shot.fields
      .filter(
        (f) =>
          (f.on || f.name === chosen) &&
          ((on && (view.step !== "bind" || f.effect.kind === "anchor")) || f.name === chosen),
      )
      .flatMap((f) =>
        layersOf(f, shot.document).map((layer, k) => ({
          key: `${f.name}#${k}`,
          layer,
          color: FAMILY_COLOR[FAMILY[f.effect.kind]],
          chosen: f.name === chosen,
          sliced:
            f.name === chosen &&
            (f.reach.use ? k === 0 : k === Math.min(view.layer, layersOf(f, shot.document).length - 1)),
          stood: (survey.result?.stands[f.name] as Reach["stood"]) ?? null,
        })),
      );
    const map =
      view.selection?.kind === "map" ? shot.document?.maps.find((m) => m.name === view.selection!.name) : undefined;
    const named = view.selection?.kind === "falloff" ? view.selection.name : map?.reach.use;
    const falloff =
      map && !map.reach.use
        ? { layers: map.reach.layers ?? [] }
        : named
          ? shot.document?.falloffs.find((f) => f.name === named)
          : undefined;
    for (const [k, layer] of ((falloff?.layers ?? []) as Layer[]).entries())
      out.push({
        key: `falloff#${k}`,
        layer,
        color: "var(--accent)",
        chosen: true,
        sliced: k === Math.min(view.layer, falloff!.layers.length - 1),
        stood: null,
      });
    return out;
  }

  return { reaches };
}
