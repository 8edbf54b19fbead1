/** Lines of the chosen thing: bonds, collision shapes, what is wrong with its mesh. */
import type { ComputedRef, ShallowRef } from "vue";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
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
      thing && !inTake.value && view.bonds !== "hidden"
        ? bondLines(
            s.batch,
            thing,
            pieces.strengths.get(thing.name),
            view.bonds === "weight" ? (pieces.weights.get(thing.name) ?? null) : undefined,
          )
        : null;
    s.bonds.set(drawn?.at ?? null, drawn?.colors);
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
