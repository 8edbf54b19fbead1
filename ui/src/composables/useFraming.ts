/** What the camera looks at, and where the view is cut open. */
import { ref, type ComputedRef, type Ref, type ShallowRef } from "vue";
import { eachPoint, takeIn } from "../lib/bounds";
import type { Vec } from "../lib/rotation";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useView, type Sight } from "../stores/view";
import { SLANT, type Direction, type Stage } from "../viewport/Stage";
import type { Shown } from "./useShown";

/** size: of all that is shown, corner to corner [m]. */
export function useFraming(
  stage: ShallowRef<Stage | null>,
  shown: ComputedRef<Shown[]>,
  missing: ComputedRef<number>,
  chosen: ComputedRef<Shown | undefined>,
  inTake: ComputedRef<boolean>,
): {
  size: Ref<number>;
  fit: (smooth: boolean, what?: Sight, from?: Direction) => void;
  fitOnce: () => void;
  cutOpen: () => void;
} {
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

  /** Where everything, or what is chosen, is at the frame that is shown. */
  function pointsOf(things: readonly Shown[]): Vec[] {
    const points: Vec[] = [];
    const batch = stage.value!.batch;
    for (const thing of things) {
      if (!inTake.value) {
        eachPoint(thing.packed.vertices as Float32Array, thing.copies, (at) => points.push(at));
        continue;
      }
      stage.value!.surfaces.eachPlace(thing.name, (at) => points.push(at));
      const b = batch.names.indexOf(thing.name);
      const volume = thing.packed.volume!;
      for (let p = batch.first[b]!; p < batch.first[b + 1]!; p++) {
        const [x, y, z] = batch.placeOf(p);
        const r = 0.7 * Math.cbrt(volume[(p - batch.first[b]!) % volume.length]!);
        points.push([x - r, y - r, z - r], [x + r, y + r, z + r]);
      }
    }
    return points;
  }

  /** Bring everything into view, or only what is chosen, and size the ground to all of it. */
  function fit(smooth: boolean, what: Sight = "all", from?: Direction): void {
    const s = stage.value;
    if (!s) return;
    const points = pointsOf(shown.value);
    const spread = [0, 1, 2].map(
      (c) =>
        points.reduce((most, p) => Math.max(most, p[c]!), -Infinity) -
        points.reduce((least, p) => Math.min(least, p[c]!), Infinity),
    );
    size.value = points.length ? Math.hypot(...spread) : 6;
    const ground = { on: true, height: 0, ...shot.document?.ground };
    s.setGround(ground.on, ground.height, Math.max(0.02, size.value * 3.2));
    if (typeof what === "object") {
      const group = shown.value.find((t) => t.name === what.name);
      const one = group?.copies[what.copy];
      return one && s.frame(pointsOf([{ ...group!, copies: [one] }]), smooth);
    }
    const names = new Set(view.chosen.map((c) => c.name));
    const some = what === "chosen" ? shown.value.filter((t) => names.has(t.name)) : [];
    if (some.length) return s.frame(pointsOf(some), smooth);
    // what is under the ground is not looked at
    const above = ground.on ? points.filter((p) => p[1] >= ground.height - 1e-3 * size.value) : points;
    s.frame(above.length ? above : points, smooth, from);
  }

  let looked: readonly Shown[] | null = null;
  let known: { lo: Vec; hi: Vec } | null = null;
  /**
   * When all of a shot is there for the first time; and again, gently, when it has grown or gone past the picture, or
   * become a tenth of what it was: a file in another unit.
   */
  function fitOnce(): void {
    const s = stage.value;
    if (!s || !shown.value.length || missing.value > pieces.errors.size) return;
    if (framedFor === shot.id && (inTake.value || shown.value === looked)) return;
    looked = shown.value;
    const found = bounds(shown.value);
    if (!found) return;
    const extent = found.hi.map((x, c) => x - found.lo[c]!) as Vec;
    const last = known ?? found;
    const before = last.hi.map((x, c) => x - last.lo[c]!) as Vec;
    const room = 0.1 * Math.max(...before) + 1e-6;
    const grown = [0, 1, 2].some((c) => found.hi[c]! > last.hi[c]! + room || found.lo[c]! < last.lo[c]! - room);
    const shrunk = Math.max(...extent) < 0.1 * Math.max(...before);
    known = found;
    if (framedFor !== shot.id) {
      framedFor = shot.id;
      return fit(false, "all", SLANT);
    }
    if (inTake.value || !view.keepInSight) return;
    if (shrunk) return fit(true);
    if (!grown) return;
    const { width, height } = s.extent;
    const out = pointsOf(shown.value).some((p) => {
      const at = s.project(...p);
      return !at || at.x < 0 || at.y < 0 || at.x > width || at.y > height;
    });
    if (out) fit(true);
  }

  function cutOpen(): void {
    const around = view.section ? bounds(chosen.value ? [chosen.value] : shown.value) : null;
    if (!view.section || !around) return stage.value?.setSection(null);
    const { axis, share } = view.section;
    stage.value?.setSection(axis, around.lo[axis]! + share * (around.hi[axis]! - around.lo[axis]!));
  }

  return { size, fit, fitOnce, cutOpen };
}
