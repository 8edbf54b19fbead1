/** Painting in the view: strokes over the weights of the chosen body, shown at once and kept when they end. */
import { ref, watch, type ComputedRef, type Ref, type ShallowRef } from "vue";
import type { Body } from "../api/types";
import { coverMore, frameOf, inFrame, over, paintOn, type Stroke } from "../lib/strokes";
import { turn, type Quat, type Vec } from "../lib/rotation";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useView } from "../stores/view";
import type { Stage } from "../viewport/Stage";
import type { Met } from "../viewport/meets";
import type { Shown } from "./useShown";

/** a stroke has a point every so much of its radius */
const SPACING = 0.2;
const tidy = (x: number): number => Number(x.toFixed(5));

export interface Ring {
  x: number;
  y: number;
  /** pixels */
  radius: number;
}

/** The falloff of the chosen body that is painted on. */
export function reachOf(body: Body | undefined, what: { part: "pins" | "recall" | "weights"; k: number } | null) {
  return (what && body?.[what.part][what.k]?.reach) || null;
}

export function useBrush(
  stage: ShallowRef<Stage | null>,
  chosenThing: ComputedRef<Shown | undefined>,
  inTake: ComputedRef<boolean>,
  repaint: () => void,
): {
  ring: Ref<Ring | null>;
  brushing: (phase: "hover" | "begin" | "move" | "end" | "leave", at: { x: number; y: number }) => boolean;
} {
  const shot = useShot();
  const survey = useSurvey();
  const view = useView();
  const ring = ref<Ring | null>(null);
  let stroke: Stroke | null = null;
  /** of the stroke that is drawn: where vertices rest in its frame, and how much of it lies on each */
  let own: Float32Array = new Float32Array();
  let cover: Float32Array = new Float32Array();

  /** Where the pointer meets the chosen body. */
  function meet(at: { x: number; y: number }): Met | null {
    const s = stage.value;
    const k = s ? s.surfaces.numberOf(chosenThing.value?.name ?? "") : -1;
    if (!s || k < 0) return null;
    const { origin, along } = s.ray(at.x, at.y);
    return s.surfaces.meet(k, origin, along);
  }

  /** Where vertices of the body rest, in the frame of the layer that is painted on. */
  function restInFrame(thing: Shown): Float32Array {
    const rest = (thing.packed.rest ?? thing.packed.vertices) as Float32Array;
    const { position, rotation } = thing.body.place as { position: Vec; rotation: Quat };
    const frame = frameOf(reachOf(thing.body, view.painting)!, thing.body.place);
    const out = new Float32Array(rest.length);
    for (let v = 0; v < rest.length; v += 3) {
      const world = turn(rotation, [rest[v]!, rest[v + 1]!, rest[v + 2]!]).map((x, c) => x + position[c]!) as Vec;
      out.set(inFrame(frame, world), v);
    }
    return out;
  }

  /** The place on the body at rest that was met. */
  const ownPoint = (met: Met): Vec =>
    [0, 1, 2].map((c) => tidy(met.corners.reduce((sum, v, k) => sum + met.shares[k]! * own[v * 3 + c]!, 0))) as Vec;

  /** Values of the body's vertices with the stroke over what the survey said; its last stretch is new. */
  function preview(): void {
    const what = view.painting;
    if (!stroke || !what) return;
    coverMore(stroke, own, cover);
    const before = survey.result?.weights[`${what.part}.${what.k}`];
    view.painted = cover.map((c, v) => over(before?.[v] ?? 0, stroke!, c));
    repaint();
  }

  function ringAt(at: { x: number; y: number }, met: Met | null): void {
    const s = stage.value!;
    ring.value = met ? { ...at, radius: view.brush.size / s.metresAt(met.at) } : null;
  }

  /** What the pointer does while something is painted; true: it is the brush's, and not the camera's. */
  function brushing(phase: "hover" | "begin" | "move" | "end" | "leave", at: { x: number; y: number }): boolean {
    const thing = chosenThing.value;
    if (!view.painting || inTake.value || !thing || thing.group) return false;
    if (phase === "leave") return !!(ring.value = null);
    if (phase === "end") {
      const done = stroke;
      stroke = null;
      const what = view.painting;
      if (done)
        shot.editBody(
          thing.name,
          `paint ${thing.name}`,
          (b) => {
            const reach = reachOf(b, what);
            if (reach) paintOn(reach, done, b.place);
          },
          true,
        );
      return !!done;
    }
    const met = meet(at);
    ringAt(at, met);
    if (phase === "hover" || !met || (phase === "move" && !stroke)) return !!stroke;
    if (phase === "begin") {
      own = restInFrame(thing);
      cover = new Float32Array(own.length / 3);
    }
    const point = ownPoint(met);
    const last = stroke?.points.at(-1) as Vec | undefined;
    if (phase === "begin") {
      const { size, soft, strength, how, mirror } = view.brush;
      stroke = { points: [point], radius: size, soft, strength, how, mirror: mirror || null };
    } else if (stroke && last && Math.hypot(...point.map((x, c) => x - last[c]!)) > SPACING * stroke.radius)
      stroke = { ...stroke, points: [...stroke.points, point] };
    else return !!stroke;
    preview();
    return true;
  }

  watch([() => view.painting, inTake, () => view.thing], () => {
    ring.value = null;
    stroke = null;
    view.painted = null;
  });
  // the truth has come
  watch(
    () => survey.result,
    () => {
      if (!stroke) view.painted = null;
    },
  );
  return { ring, brushing };
}
