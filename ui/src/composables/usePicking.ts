/** What a click, a box or a click while placing a tie chooses in the view. */
import { ref, type ComputedRef, type Ref, type ShallowRef } from "vue";
import { freeName, memberName, newTie } from "../lib/document";
import type { Vec } from "../lib/rotation";
import { middlesOf, partsOf } from "../lib/pieces";
import { seamNear } from "../lib/seams";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import type { Stage } from "../viewport/Stage";
import { hitPiece, type SurfaceHit } from "../viewport/hits";
import { tidy } from "./useHandles";
import type { Shown } from "./useShown";
import { isSoft } from "./useSurfaces";

/** A piece of a thing, by its number within a copy. */
export interface Hit {
  thing: Shown;
  copy: number;
  index: number;
}

interface Point {
  x: number;
  y: number;
}

/** pixels within which a click means a seam */
const NEAR = 9;

export interface Area extends Point {
  w: number;
  h: number;
}

export function usePicking(
  stage: ShallowRef<Stage | null>,
  shown: ComputedRef<Shown[]>,
  chosenThing: ComputedRef<Shown | undefined>,
  putField: (at: Vec, normal: Vec) => void,
): {
  box: Ref<Area | null>;
  locate: (piece: number) => Hit | null;
  onPick: (piece: number, together: boolean, at: Point) => void;
  onBox: (area: Area, done: boolean) => void;
  onSurface: (at: Point, by: number) => Vec | null;
} {
  const shot = useShot();
  const pieces = usePieces();
  const view = useView();
  const box = ref<Area | null>(null);

  /** The thing a batch piece belongs to, and its number within a copy. */
  function locate(piece: number): Hit | null {
    const k = piece - (stage.value?.batch.count ?? 0);
    if (k >= 0 && k < (stage.value?.surfaces?.count ?? 0)) {
      const { name, copy } = stage.value!.surfaces.shapeOf(k);
      const soft = shown.value.find((t) => t.name === name);
      return soft ? { thing: soft, copy, index: 0 } : null;
    }
    const at = stage.value?.batch.locate(piece);
    const thing = at && shown.value[at.body];
    return thing ? { thing, copy: at.copy, index: at.index } : null;
  }

  /**
   * A click while a tie is being placed: its point on a body; of a string then the other end, on a body or on the
   * ground.
   */
  function placeTie(hit: Hit | null, at: { x: number; y: number }): void {
    const placing = view.placing!;
    const s = stage.value!;
    const { origin, along } = s.ray(at.x, at.y);
    let point: Vec | null = null;
    if (hit) {
      point = meet(hit, origin, along)?.at ?? null;
    }
    if (!hit && placing.point) point = onGround(origin, along);
    if (hit?.thing.group)
      return void (view.placing = { ...placing, note: `${hit.thing.name} is a group, whose members cannot be tied. ` });
    if (!point || (!hit && !placing.point)) return;
    const clean = point.map(tidy) as Vec;
    if (placing.kind === "string" && !placing.point) {
      view.placing = { kind: placing.kind, body: hit!.thing.name, point: clean, note: "" };
      return;
    }
    const name = freeName(
      placing.kind,
      shot.ties.map((t) => t.name),
    );
    const to = placing.point && hit && hit.thing.name !== placing.body ? hit.thing.name : null;
    const tie = newTie(
      placing.kind,
      name,
      placing.body ?? hit!.thing.name,
      placing.point ?? clean,
      to,
      placing.point ? clean : null,
    );
    view.placing = null;
    shot.edit(`add ${name}`, (d) => d.ties.push(tie));
    view.select({ kind: "tie", name });
  }

  /** Where the eye's ray through a point of the view meets the ground; null where it looks away from it. */
  function onGround(origin: Vec, along: Vec): Vec | null {
    const height = shot.document!.ground.height!;
    if (along[1] > -1e-6) return null;
    return origin.map((x, k) => x + ((height - origin[1]) / along[1]) * along[k]!) as Vec;
  }

  /** A point so much [m] above what lies under a point of the view: a body, or the ground. */
  function above(hit: Hit | null, at: Point, by: number): Vec | null {
    const { origin, along } = stage.value!.ray(at.x, at.y);
    const found = hit && meet(hit, origin, along);
    const point = found?.at ?? onGround(origin, along);
    const normal = found?.normal ?? [0, 1, 0];
    return point && (point.map((x, k) => tidy(x + by * normal[k]!)) as Vec);
  }

  /** The same of what is under a point of the view now; never of the chosen body itself. */
  function onSurface(at: Point, by: number): Vec | null {
    const hit = locate(stage.value!.pieceUnder(at));
    return above(hit?.thing.name === view.thing ? null : hit, at, by);
  }

  /** One more point of the rope that is drawn: on a body, or on the ground, with its round above the surface. */
  function drawOn(hit: Hit | null, at: Point): void {
    const rope = shot.bodies.find((b) => b.name === view.thing);
    if (rope?.shape.kind !== "line") return;
    const point = above(hit, at, 1.5 * ((rope.matter as { radius?: number }).radius ?? 0.01));
    if (point) view.drawing = [...view.drawing!, point];
  }

  /** The chosen field goes to where a click meets a body, or the ground, and faces out of it. */
  function placeField(hit: Hit | null, at: Point): void {
    const { origin, along } = stage.value!.ray(at.x, at.y);
    const found = hit && meet(hit, origin, along);
    const point = found?.at ?? onGround(origin, along);
    if (!point) return;
    view.placingField = false;
    putField(point.map(tidy) as Vec, (found?.normal ?? [0, 1, 0]).map(tidy) as Vec);
  }

  /** Where a ray meets the piece that is hit, or the surface of what deforms. */
  function meet(hit: Hit, origin: Vec, along: Vec): SurfaceHit | null {
    const s = stage.value!.surfaces;
    return isSoft(hit.thing)
      ? s.meet(s.numberOf(hit.thing.name) + hit.copy, origin, along)
      : hitPiece(origin, along, hit.thing, hit.thing.copies[hit.copy]!, hit.index);
  }

  /** The seam of what deforms that a click is near to; -1 where there is none. */
  function seamAt(hit: Hit, at: Point): number {
    const s = stage.value!;
    const seams = pieces.seams.get(hit.thing.name);
    const k = seams ? s.surfaces.numberOf(hit.thing.name) + hit.copy : -1;
    if (!seams || !isSoft(hit.thing)) return -1;
    const { origin, along } = s.ray(at.x, at.y);
    const met = s.surfaces.meet(k, origin, along);
    return met ? seamNear(seams, (v) => s.surfaces.placeOf(k, v), met, NEAR * s.metresAt(met.at)) : -1;
  }

  /** The piece of a thing that a click means: of what deforms, that of the vertex nearest to it. */
  function pieceAt(hit: Hit, at: Point): number {
    const part = hit.thing.packed.part;
    if (!part) return hit.index;
    const { origin, along } = stage.value!.ray(at.x, at.y);
    const s = stage.value!.surfaces;
    const met = s.meet(s.numberOf(hit.thing.name) + hit.copy, origin, along);
    return met ? part[met.vertex]! : 0;
  }

  function onPick(piece: number, together: boolean, at: { x: number; y: number }): void {
    const hit = locate(piece);
    if (view.placing) return placeTie(hit, at);
    if (view.placingField) return placeField(hit, at);
    if (view.drawing) return drawOn(hit, at);
    if (!hit) {
      if (!together) view.select((view.traced = null));
      return;
    }
    const { thing } = hit;
    const soft = isSoft(thing);
    const many = (!soft || view.step === "break") && partsOf(thing.packed).volume!.length > 1;
    const index = many ? pieceAt(hit, at) : hit.index;
    if (together && many && view.selection?.name === thing.name) {
      const set = new Set(view.picked.length ? view.picked : view.piece ? [view.piece.index] : []);
      if (!set.delete(index)) set.add(index);
      view.picked = [...set].sort((a, b) => a - b);
      view.piece = null;
      return;
    }
    if (view.locked.includes(thing.name)) return;
    const seam = view.step === "bind" && view.thing === thing.name ? seamAt(hit, at) : -1;
    if (seam >= 0) {
      const rest = view.seams.filter((q) => q !== seam);
      view.seams = !together ? [seam] : rest.length < view.seams.length ? rest : [...rest, seam];
      return;
    }
    view.seams = [];
    view.select({ kind: thing.group ? "group" : "body", name: thing.name }, together);
    if (together) return;
    view.picked = many ? [index] : [];
    view.piece = many && !soft ? { body: thing.name, index } : null;
    const body = thing.group ? memberName(thing.name, hit.copy) : thing.name;
    view.traced = soft || view.showing !== "take" ? null : { piece, first: piece - index, body, thing: thing.name };
  }

  /** All pieces of the chosen body whose middle lies in a box of the screen. */
  function onBox(area: { x: number; y: number; w: number; h: number }, done: boolean): void {
    box.value = done ? null : area;
    const s = stage.value!;
    const thing = chosenThing.value ?? (shown.value.length === 1 ? shown.value[0] : undefined);
    if (!done || !thing) return;
    if (view.selection?.name !== thing.name) view.select({ kind: thing.group ? "group" : "body", name: thing.name });
    const inside = new Set<number>();
    const look = (place: Vec, p: number): void => {
      const at = s.project(...place);
      if (at && at.x >= area.x && at.x <= area.x + area.w && at.y >= area.y && at.y <= area.y + area.h) inside.add(p);
    };
    const b = s.batch.names.indexOf(thing.name);
    for (let p = s.batch.first[b]!; p < s.batch.first[b + 1]!; p++)
      look(s.batch.placeOf(p), (p - s.batch.first[b]!) % s.batch.perCopy(b));
    const part = view.step === "break" ? thing.packed.part : undefined;
    if (part)
      thing.copies.forEach((_, copy) =>
        middlesOf(part, (v) => s.surfaces.placeOf(s.surfaces.numberOf(thing.name) + copy, v)).forEach(look),
      );
    view.piece = null;
    view.picked = [...inside].sort((x, y) => x - y);
  }

  return { box, locate, onPick, onBox, onSurface };
}
