/** Lines of the chosen thing: bonds, collision shapes, what is wrong with its mesh. */
import type { ComputedRef, ShallowRef } from "vue";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import { seamLines, seamsAs } from "../lib/seams";
import { bondLines, markLines, oneColor, shapeLines } from "../viewport/lines";
import type { Stage } from "../viewport/Stage";
import type { Shown } from "./useShown";

export function useDrawnLines(
  stage: ShallowRef<Stage | null>,
  inTake: ComputedRef<boolean>,
  chosenThing: ComputedRef<Shown | undefined>,
): { drawLines: () => void } {
  const shot = useShot();
  const pieces = usePieces();
  const view = useView();

  function drawBonds(): void {
    const s = stage.value!;
    const thing = chosenThing.value;
    const drawn =
      thing && !inTake.value && view.bonds !== "hidden" && thing.body.matter.kind === "rigid"
        ? bondLines(
            s.batch,
            thing,
            pieces.strengths.get(thing.name),
            view.bonds === "weight" ? (pieces.weights.get(thing.name) ?? null) : undefined,
          )
        : null;
    const seams = drawn ? null : seamsNow(s);
    s.bonds.set((drawn ?? seams)?.at ?? null, (drawn ?? seams)?.colors);
  }

  /** Seams of the chosen body where it deforms, while it is bound. */
  function seamsNow(s: Stage): ReturnType<typeof seamLines> | null {
    const thing = chosenThing.value;
    const found = thing && !inTake.value && view.step === "bind" ? pieces.seams.get(thing.name) : undefined;
    const k = found ? s.surfaces.numberOf(thing!.name) : -1;
    if (!found || k < 0 || found.line.some((v) => v >= s.surfaces.verticesOf(k))) return null;
    const loads = pieces.seamLoads.get(thing!.name);
    const by = seamsAs(view.seamColor, !!loads);
    return seamLines(found, (v) => s.surfaces.placeOf(k, v), by, loads, view.seams);
  }

  function drawShapes(): void {
    const thing = view.shapes && !inTake.value ? chosenThing.value : undefined;
    const found = thing && pieces.shapes.get(thing.name);
    const at = thing && found ? shapeLines(thing, found) : null;
    stage.value!.shapes.set(at, at ? oneColor(at, [0.44, 0.7, 0.89]) : undefined);
  }

  function drawMarks(): void {
    const body = shot.things.find((t) => t.name === view.selection?.name)?.body;
    const at = body && view.marks.length && !inTake.value ? markLines(body, view.marks) : null;
    stage.value!.marks.set(at, at ? oneColor(at, [1, 0.48, 0.3]) : undefined);
  }

  function drawLines(): void {
    drawBonds();
    drawMarks();
    drawShapes();
  }

  return { drawLines };
}
