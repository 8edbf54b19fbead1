/** The points of the chosen rope in the view: dragged, put in between, taken out. */
import { ref, type ComputedRef, type Ref, type ShallowRef } from "vue";
import { back, turn, type Quat, type Vec } from "../lib/rotation";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import type { Stage } from "../viewport/Stage";
import { follow } from "./useDrag";
import { tidy } from "./useHandles";
import type { Shown } from "./useShown";

export interface Dot {
  x: number;
  y: number;
  /** number of the point; of one that would be put in between, of the one after it */
  k: number;
  between: boolean;
}

/** What of a rope's points can be dragged in the view: of very many none. */
const MOST = 60;

/** Where a point of a body's own frame is in the world, and the other way. */
const out = (thing: Shown, p: Vec): Vec => {
  const { position, rotation, scale } = thing.body.place as { position: Vec; rotation: Quat; scale: Vec };
  return turn(rotation, p.map((x, c) => x * scale[c]!) as Vec).map((x, c) => x + position[c]!) as Vec;
};
const inside = (thing: Shown, p: Vec): Vec => {
  const { position, rotation, scale } = thing.body.place as { position: Vec; rotation: Quat; scale: Vec };
  return turn(back(rotation), p.map((x, c) => x - position[c]!) as Vec).map((x, c) => tidy(x / scale[c]!)) as Vec;
};

export function useRopePoints(
  stage: ShallowRef<Stage | null>,
  chosenThing: ComputedRef<Shown | undefined>,
  inTake: ComputedRef<boolean>,
  /** where a point of the view lies on a body or on the ground; null where on neither */
  onSurface: (at: { x: number; y: number }, above: number) => Vec | null,
): {
  dots: Ref<Dot[]>;
  placeDots: () => void;
  drag: (dot: Dot, event: PointerEvent) => void;
  takeOut: (dot: Dot) => void;
} {
  const shot = useShot();
  const view = useView();
  const dots = ref<Dot[]>([]);

  function points(): Vec[] {
    const thing = chosenThing.value;
    const works = thing && !thing.group && !inTake.value && view.step === "build" && !view.drawing;
    const shape = works && thing.body.shape.kind === "line" ? thing.body.shape : null;
    return shape && shape.points.length <= MOST && !view.locked.includes(thing!.name) ? (shape.points as Vec[]) : [];
  }

  function placeDots(): void {
    const s = stage.value;
    const own = points();
    if (!s || !own.length) return void (dots.value.length && (dots.value = []));
    const at = own.map((p) => out(chosenThing.value!, p));
    const middles = at.slice(1).map((p, k) => p.map((x, c) => (x + at[k]![c]!) / 2) as Vec);
    const dot = (p: Vec, k: number, between: boolean): Dot[] => {
      const seen = s.project(...p);
      return seen ? [{ ...seen, k, between }] : [];
    };
    dots.value = [...middles.flatMap((p, k) => dot(p, k + 1, true)), ...at.flatMap((p, k) => dot(p, k, false))];
  }

  /** Drag a point in the plane that faces the eye; with Shift over bodies and the ground. */
  function drag(dot: Dot, event: PointerEvent): void {
    const s = stage.value;
    const thing = chosenThing.value;
    const own = points();
    if (!s || !thing || !own.length || event.button !== 0) return;
    event.preventDefault();
    const before = shot.document!;
    const start = dot.between ? (own[dot.k]!.map((x, c) => (x + own[dot.k - 1]![c]!) / 2) as Vec) : own[dot.k]!;
    const from = out(thing, start);
    const rect = s.renderer.domElement.getBoundingClientRect();
    const radius = (thing.body.matter as { radius?: number }).radius ?? 0.01;
    const facing = s.ray(rect.width / 2, rect.height / 2).along;
    shot.hold();
    const move = (e: PointerEvent): void => {
      const at = { x: e.clientX - rect.left, y: e.clientY - rect.top };
      const { origin, along } = s.ray(at.x, at.y);
      const slope = along.reduce((sum, x, c) => sum + x * facing[c]!, 0);
      const far = from.reduce((sum, x, c) => sum + (x - origin[c]!) * facing[c]!, 0) / slope;
      const flat = origin.map((x, c) => x + far * along[c]!) as Vec;
      const to = inside(thing, (e.shiftKey && onSurface(at, 1.5 * radius)) || flat);
      shot.edit(
        `drag a point of ${thing.name}`,
        (d) => {
          const shape = d.bodies.find((b) => b.name === thing.name)?.shape;
          if (shape?.kind !== "line") return;
          shape.points = [...own.slice(0, dot.k), to, ...own.slice(dot.between ? dot.k : dot.k + 1)];
        },
        before,
      );
    };
    follow(event, move, () => void shot.flush());
  }

  function takeOut(dot: Dot): void {
    if (dot.between || points().length <= 2) return;
    shot.editBody(
      chosenThing.value!.name,
      `take a point out of ${chosenThing.value!.name}`,
      (b) => {
        if (b.shape.kind === "line") b.shape.points.splice(dot.k, 1);
      },
      true,
    );
  }

  return { dots, placeDots, drag, takeOut };
}
