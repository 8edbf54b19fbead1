/** What the camera looks at, and where the view is cut open. */
import { ref, type ComputedRef, type Ref, type ShallowRef } from "vue";
import { eachPoint, takeIn } from "../lib/bounds";
import type { Vec } from "../lib/rotation";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import type { Stage } from "../viewport/Stage";
import type { Shown } from "./useShown";

/** size: of all that is shown, corner to corner [m]. */
export function useFraming(
  stage: ShallowRef<Stage | null>,
  shown: ComputedRef<Shown[]>,
  missing: ComputedRef<number>,
  chosen: ComputedRef<Shown | undefined>,
): { size: Ref<number>; fit: (smooth: boolean) => void; fitOnce: () => void; cutOpen: () => void } {
  const shot = useShot();
  const pieces = usePieces();
  const view = useView();
  const size = ref(5);
  let framedFor = "";

  function bounds(things: readonly Shown[]): { lo: Vec; hi: Vec } | null {
    const lo: Vec = [Infinity, Infinity, Infinity];
    const hi: Vec = [-Infinity, -Infinity, -Infinity];
    for (const thing of things) takeIn(thing.packed.vertices as Float32Array, thing.copies, lo, hi);
    return Number.isFinite(lo[0]) ? { lo, hi } : null;
  }

  /** Bring everything into view and size the ground to it. */
  function fit(smooth: boolean): void {
    const s = stage.value;
    if (!s) return;
    const points: Vec[] = [];
    for (const thing of shown.value)
      eachPoint(thing.packed.vertices as Float32Array, thing.copies, (at) => points.push(at));
    const spread = [0, 1, 2].map(
      (c) =>
        points.reduce((most, p) => Math.max(most, p[c]!), -Infinity) -
        points.reduce((least, p) => Math.min(least, p[c]!), Infinity),
    );
    size.value = points.length ? Math.hypot(...spread) : 6;
    const ground = { on: true, height: 0, ...shot.document?.ground };
    s.setGround(ground.on, ground.height, Math.max(0.02, size.value * 3.2));
    const above = ground.on ? points.filter((p) => p[1] >= ground.height - 1e-3 * size.value) : points; // what is under the ground is not looked at
    s.frame(above.length ? above : points, smooth);
  }

  /** When all of a shot is there for the first time. */
  function fitOnce(): void {
    if (framedFor === shot.id && stage.value) return;
    if (!shown.value.length || missing.value > pieces.errors.size || !bounds(shown.value)) return;
    framedFor = shot.id;
    fit(false);
  }

  function cutOpen(): void {
    const around = view.section ? bounds(chosen.value ? [chosen.value] : shown.value) : null;
    if (!view.section || !around) return stage.value?.setSection(null);
    const { axis, share } = view.section;
    stage.value?.setSection(axis, around.lo[axis]! + share * (around.hi[axis]! - around.lo[axis]!));
  }

  return { size, fit, fitOnce, cutOpen };
}
