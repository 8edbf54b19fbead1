/** The handles in the view: what they stand at, and what dragging them changes. */
import type { ComputedRef, ShallowRef } from "vue";
import type { Layer } from "../api/types";
import { withMove, type Channel } from "../lib/channels";
import { begunMotion, standAt, withKey } from "../lib/motion";
import { scatterOf, shift } from "../lib/shift";
import { anglesNear, anglesOf, turn, type Quat, type Vec } from "../lib/rotation";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useView } from "../stores/view";
import type { Moved, Reach, Stage } from "../viewport/Stage";

export const tidy = (x: number): number => Number(x.toFixed(4));

export function useHandles(
  stage: ShallowRef<Stage | null>,
  inTake: ComputedRef<boolean>,
  time: ComputedRef<number>,
  snapped: (moved: Moved, name: string | null) => Vec,
): {
  placeHandles: () => void;
  onMove: (moved: Moved, done: boolean) => void;
  putField: (at: Vec, normal: Vec) => void;
} {
  const shot = useShot();
  const survey = useSurvey();
  const view = useView();
  /** the shape as it was when a drag that scales it began */
  let scaled: Record<string, unknown> | null = null;

  /** The shape that the handles move: the chosen layer's of the chosen field or falloff, if it stands alone. */
  function handled(): {
    shape: Record<string, unknown>;
    edit: (what: string, change: (shape: Record<string, unknown>) => void) => void;
    stood: Reach["stood"];
  } | null {
    const chosen = view.selection;
    if (chosen?.kind !== "field" && chosen?.kind !== "falloff" && chosen?.kind !== "map") return null;
    const field = chosen.kind === "field" ? shot.fields.find((f) => f.name === chosen.name) : undefined;
    const map = chosen.kind === "map" ? shot.document?.maps.find((m) => m.name === chosen.name) : undefined;
    const owner = chosen.kind === "falloff" ? chosen.name : (field ?? map)?.reach.use;
    const layers =
      chosen.kind !== "falloff" && !owner
        ? ((field ?? map)?.reach.layers as Layer[] | undefined)
        : (shot.document?.falloffs.find((f) => f.name === owner)?.layers as Layer[] | undefined);
    const k = Math.min(owner && chosen.kind === "field" ? 0 : view.layer, (layers?.length ?? 0) - 1);
    const shape = layers?.[k]?.shape as unknown as Record<string, unknown> | undefined;
    if (!shape || !("center" in shape)) return null;
    const edit = (what: string, change: (x: Record<string, unknown>) => void): void =>
      shot.edit(what, (d) => {
        const stack = owner
          ? d.falloffs.find((f) => f.name === owner)
          : (chosen.kind === "map" ? d.maps : d.fields).find((f) => f.name === chosen.name)?.reach;
        const own = stack?.layers?.[k]?.shape;
        if (own) change(own as unknown as Record<string, unknown>);
      });
    return {
      shape,
      edit,
      stood: (chosen.kind === "field" && (survey.result?.stands[chosen.name] as Reach["stood"])) || null,
    };
  }

  const groupOf = (name: string) => shot.document?.groups.find((g) => g.name === name);

  /** Where the handles stand, by the document. */
  function whereNow(): Vec | null {
    const chosen = view.selection!;
    if (chosen.kind === "tie") {
      const tie = shot.ties.find((t) => t.name === chosen.name);
      return tie ? ((view.tieEnd === 1 && tie.to_point ? tie.to_point : tie.point) as Vec) : null;
    }
    const thing = shot.things.find((t) => t.name === view.thing);
    const inside = thing?.group && scatterOf(thing.group);
    if (inside) return inside.center as Vec;
    if (thing) return (thing.group ? thing.body.place.position : standAt(thing.body, time.value).position) as Vec;
    return (handled()?.shape.center as Vec | undefined) ?? null;
  }

  function placeHandles(): void {
    const mode = view.handle === "move" ? "translate" : view.handle === "turn" ? "rotate" : "scale";
    const chosen = view.selection;
    if (!stage.value) return;
    if (inTake.value || !chosen || view.step === "run" || view.step === "export")
      return stage.value.setHandles(null, mode);
    if (view.placing || view.locked.includes(chosen.name)) return stage.value.setHandles(null, mode);
    if (chosen.kind === "tie") {
      const tie = shot.ties.find((t) => t.name === chosen.name);
      if (!tie) return stage.value.setHandles(null, mode);
      const at = (view.tieEnd === 1 && tie.to_point ? tie.to_point : tie.point) as Vec;
      return stage.value.setHandles(
        {
          position: at,
          rotation: tie.how.kind === "hinge" ? between([0, 0, 1], tie.how.axis as Vec) : [0, 0, 0, 1],
          scale: [1, 1, 1],
        },
        tie.how.kind === "hinge" && mode === "rotate" ? mode : "translate",
      );
    }
    if (chosen.kind === "body" || chosen.kind === "group") {
      const thing = shot.things.find((t) => t.name === chosen.name);
      const works = thing && (view.step === "build" || (view.step === "drive" && thing.body.role === "animated"));
      const inside = thing?.group && scatterOf(thing.group);
      const stand =
        thing &&
        (thing.group
          ? { ...(thing.body.place as Moved), ...(inside ? { position: inside.center as Vec } : {}) }
          : { ...standAt(thing.body, time.value), scale: thing.body.place.scale as Vec });
      return stage.value.setHandles(works ? stand! : null, mode, view.axes);
    }
    const own = handled();
    if (!own || own.stood) return stage.value.setHandles(null, mode);
    const turned = (own.shape.rotation ??
      (own.shape.normal ? between([0, 1, 0], own.shape.normal as Vec) : [0, 0, 0, 1])) as Quat;
    stage.value.setHandles({ position: own.shape.center as Vec, rotation: turned, scale: [1, 1, 1] }, mode, view.axes);
  }

  /** The turn that takes one direction to another. */
  function between(a: Vec, to: Vec): Quat {
    const length = Math.hypot(...to) || 1;
    const b = to.map((x) => x / length) as Vec;
    const w = 1 + a[0] * b[0] + a[1] * b[1] + a[2] * b[2];
    if (w < 1e-6) return [1, 0, 0, 0];
    const q = [a[1] * b[2] - a[2] * b[1], a[2] * b[0] - a[0] * b[2], a[0] * b[1] - a[1] * b[0], w];
    const n = Math.hypot(...q);
    return q.map((x) => x / n) as Quat;
  }

  /** Key the centre of the chosen layer of a field's or falloff's own; false where it cannot be keyed. */
  function keyCenter(chosen: { kind: string; name: string }, at: Vec): boolean {
    const fps = shot.document!.timing.fps!;
    const field = chosen.kind === "field" ? shot.fields.find((f) => f.name === chosen.name) : undefined;
    if (chosen.kind !== "falloff" && (!field || field.reach.use || field.effect.kind === "anchor")) return false;
    const base = field ? "reach." : "";
    shot.edit(`key ${chosen.name}`, (d) => {
      const own = (field ? d.fields : d.falloffs).find((f) => f.name === chosen.name)!;
      const layers = (field ? (own as typeof field).reach.layers : (own as (typeof d.falloffs)[number]).layers)!;
      const k = Math.min(view.layer, layers.length - 1);
      const before = (layers[k]!.shape as { center?: Vec }).center;
      if (!before) return;
      let channels = (own.channels ?? []) as Channel[];
      at.forEach((x, c) => {
        const of = `${base}layers.${k}.shape.center.${c}`;
        channels = withMove(channels, of, view.frame / fps, fps, x, before[c]!);
      });
      own.channels = channels as never;
    });
    return true;
  }

  /** where the handles stood at the last edit of a drag */
  let stood: Vec | null = null;

  /** The scale a drag leads to: of one direction, or with all of them in the same proportion. */
  function scaleOf(moved: Moved, before: Vec): Vec {
    const by = moved.scale.map((x, k) => x / (before[k] || 1));
    const most = by.reduce((a, b) => (Math.abs(Math.log(b)) > Math.abs(Math.log(a)) ? b : a), 1);
    return (view.whole ? before.map((x) => x * most) : moved.scale).map(tidy) as Vec;
  }
  let sized: Vec | null = null;

  /** The chosen field at a point, facing out of the surface there; what it pushes along, into it. */
  function putField(at: Vec, normal: Vec): void {
    const chosen = view.selection;
    if (chosen?.kind !== "field" && chosen?.kind !== "falloff") return;
    handled()?.edit(`place ${chosen.name}`, (shape) => {
      shape.center = at;
      if ("normal" in shape) shape.normal = normal;
      else if ("rotation" in shape) shape.rotation = between([0, 1, 0], normal);
    });
    if (chosen.kind !== "field") return;
    shot.editField(chosen.name, `place ${chosen.name}`, (f) => {
      const effect = f.effect as { direction?: Vec; axis?: Vec };
      if (effect.direction) effect.direction = normal.map((x) => -x || 0) as Vec;
      if (effect.axis) effect.axis = normal;
    });
  }

  function onMove(to: Moved, done: boolean): void {
    const chosen = view.selection;
    if (!chosen) return;
    if (!done) shot.hold();
    const moved = view.handle === "move" ? { ...to, position: snapped(to, view.thing) } : to;
    if (view.handle === "move" && view.more.length) {
      const from = stood ?? whereNow();
      if (from) {
        const by = moved.position.map((x, k) => x - from[k]!) as Vec;
        shot.edit(`move ${view.chosen.length} things`, (d) => {
          for (const { kind, name } of view.more) if (!view.locked.includes(name)) shift(d, kind, name, by);
        });
      }
      stood = done ? null : moved.position;
    }
    if (chosen.kind === "tie") {
      shot.editTie(
        chosen.name,
        `move ${chosen.name}`,
        (t) => {
          const at = moved.position.map(tidy) as Vec;
          if (t.how.kind === "hinge" && view.handle === "turn")
            t.how.axis = turn(moved.rotation, [0, 0, 1]).map(tidy) as Vec;
          else if (view.tieEnd === 1 && t.to_point) t.to_point = at;
          else t.point = at;
        },
        true,
      );
    } else if (chosen.kind === "group" && view.handle === "move" && scatterOf(groupOf(chosen.name))) {
      const from = whereNow()!;
      const by = moved.position.map((x, k) => x - from[k]!) as Vec;
      shot.edit(`move ${chosen.name}`, (d) => shift(d, "group", chosen.name, by));
    } else if (chosen.kind === "body" || chosen.kind === "group") {
      const fps = shot.document!.timing.fps!;
      shot.editBody(
        chosen.name,
        `${view.handle} ${chosen.name}`,
        (b) => {
          if (b.motion && view.handle !== "scale")
            b.motion = withKey(b.motion, view.frame / fps, fps, {
              position: moved.position.map(tidy) as Vec,
              rotation: moved.rotation,
              angles: b.motion.keys.some((k) => k.angles)
                ? anglesNear(moved.rotation, anglesOf(standAt(b, view.frame / fps)))
                : null,
            });
          else if (view.autoKey && b.role === "animated" && view.handle !== "scale")
            b.motion = begunMotion(b, view.frame / fps, fps, {
              position: moved.position.map(tidy) as Vec,
              rotation: moved.rotation,
            });
          else
            b.place = {
              position: scatterOf(groupOf(chosen.name)) ? b.place.position : (moved.position.map(tidy) as Vec),
              rotation: moved.rotation,
              angles: b.place.angles ? anglesNear(moved.rotation, b.place.angles as Vec) : null,
              scale: view.handle === "scale" ? scaleOf(moved, (sized ??= [...(b.place.scale as Vec)])) : b.place.scale,
            };
        },
        true,
      );
    } else {
      if (view.autoKey && view.handle === "move" && keyCenter(chosen, moved.position.map(tidy) as Vec)) {
        if (done) void shot.flush();
        return;
      }
      handled()?.edit(`${view.handle} ${chosen.name}`, (shape) => {
        if (view.handle === "scale") {
          const by = Math.max(...moved.scale.map((x) => Math.abs(x)));
          const before = scaled ?? (scaled = structuredClone(shape));
          for (const side of ["core", "edge", "height", "ring", "size"]) {
            const was = before[side];
            if (typeof was === "number") shape[side] = tidy(was * by);
            else if (Array.isArray(was))
              shape[side] = was.map((x, k) => tidy((x as number) * (view.whole ? by : Math.abs(moved.scale[k] ?? by))));
          }
          return;
        }
        shape.center = moved.position.map(tidy) as Vec;
        if ("rotation" in shape) shape.rotation = moved.rotation;
        if ("normal" in shape && view.handle === "turn") shape.normal = turn(moved.rotation, [0, 1, 0]);
      });
    }
    if (done) scaled = sized = null;
    if (done) void shot.flush();
  }

  return { placeHandles, onMove, putField };
}
