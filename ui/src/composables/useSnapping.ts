/** What is dragged in the view held to the ground, to surfaces, to corners, as is chosen. */
import type { ComputedRef, ShallowRef } from "vue";
import { eachPoint, takeIn } from "../lib/bounds";
import type { Quat, Vec } from "../lib/rotation";
import { standing, toCorner, toGrid } from "../lib/snap";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import { hitThings } from "../viewport/hits";
import type { Moved, Stage } from "../viewport/Stage";
import type { Shown } from "./useShown";

const DOWN: Vec = [0, -1, 0];
/** corners meet within so many pixels */
const NEAR = 18;

export function useSnapping(
  stage: ShallowRef<Stage | null>,
  shown: ComputedRef<Shown[]>,
): { snapped: (moved: Moved, name: string | null) => Vec } {
  const shot = useShot();
  const view = useView();

  /** The box round a thing that stands turned and sized so, from its position: its lowest and highest corner. */
  function around(thing: Shown | undefined, rotation: Quat): [Vec, Vec] {
    const [lo, hi]: [Vec, Vec] = [
      [Infinity, Infinity, Infinity],
      [-Infinity, -Infinity, -Infinity],
    ];
    if (!thing)
      return [
        [0, 0, 0],
        [0, 0, 0],
      ];
    takeIn(thing.packed.vertices as Float32Array, [{ position: [0, 0, 0], rotation, size: 1 }], lo, hi);
    return [lo, hi];
  }

  /** Where the handles' move leads; ``name``: of the body that is moved, where it is one. */
  function snapped(moved: Moved, name: string | null): Vec {
    const at = moved.position;
    if (view.snap === "free") return at;
    if (view.snap === "grid") return toGrid(at, stage.value!.cell);
    const thing = shown.value.find((s) => s.name === name);
    const others = shown.value.filter((s) => s.name !== name && !view.hidden.includes(s.name));
    const [lo, hi] = around(thing, moved.rotation);
    const ground = shot.document?.ground.height ?? 0;
    if (view.snap === "ground") return standing(at, -lo[1], ground);
    if (view.snap === "surface") {
      const hit = hitThings([at[0], at[1] + Math.max(0, hi[1]), at[2]], DOWN, others);
      return standing(at, -lo[1], hit ? Math.max(hit.at[1], ground) : ground);
    }
    const points: number[] = [];
    for (const other of others)
      eachPoint(other.packed.vertices as Float32Array, other.copies, (p) => points.push(...p));
    const own: Vec[] = thing
      ? [0, 1, 2, 3, 4, 5, 6, 7].map((k) => [0, 1, 2].map((c) => (k & (1 << c) ? hi : lo)[c]!) as Vec)
      : [[0, 0, 0]];
    return toCorner(at, own, points, NEAR * stage.value!.metresAt(at));
  }

  return { snapped };
}
