/** Adding a field where it is likely wanted: at the chosen body, or the first. */
import type { Vec } from "../lib/rotation";
import { freeName, newField, type EffectKind } from "../lib/document";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";

export function useNewField(): (kind: EffectKind) => void {
  const shot = useShot();
  const pieces = usePieces();
  const view = useView();
  return (kind) => {
    const chosen = shot.things.find((t) => t.name === view.thing);
    const thing = chosen ?? shot.things.find((t) => t.body.role === "active" && t.body.pattern) ?? shot.things[0];
    const body = thing?.body;
    const size = thing ? (pieces.built.get(thing.name)?.figures.size ?? [2, 2, 2]) : [2, 2, 2];
    const at = (body?.place.position ?? [0, 1, 0]) as Vec;
    const field = newField(kind, freeName(kind, shot.fields.map((f) => f.name)), [at[0], at[1], at[2]], Math.max(...size));
    if (kind === "anchor" && body) {
      const shape = field.reach.layers![0]!.shape;
      if (shape.kind === "box") {
        const low = at[1] - size[1]! / 2;
        shape.core = [Number((size[0]! * 1.2).toPrecision(3)), Number((size[1]! * 0.24).toPrecision(3)), Number((size[2]! * 1.2).toPrecision(3))];
        shape.center = [at[0], Number((low + size[1]! * 0.06).toPrecision(3)), at[2]];
        shape.edge = Number((size[1]! * 0.05).toPrecision(2));
      }
    }
    shot.edit(`add ${field.name}`, (d) => d.fields.push(field));
    view.showing = "set-up";
    view.select({ kind: "field", name: field.name });
  };
}
