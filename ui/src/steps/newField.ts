/** Adding a field where it is likely wanted: at the chosen body, or the first. */
import { takeIn } from "../lib/bounds";
import type { Quat, Vec } from "../lib/rotation";
import type { Layer } from "../api/types";
import { freeName, isStill, newField, type EffectKind } from "../lib/document";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";

const round = (x: number): number => Number(x.toPrecision(3));

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
    const packed = thing ? pieces.packedOf(thing.name) : undefined;
    const lo: Vec = packed ? [Infinity, Infinity, Infinity] : ([0, 1, 2].map((c) => at[c]! - size[c]! / 2) as Vec);
    const hi: Vec = packed ? [-Infinity, -Infinity, -Infinity] : ([0, 1, 2].map((c) => at[c]! + size[c]! / 2) as Vec);
    if (packed)
      takeIn(
        packed.vertices as Float32Array,
        [{ position: at, rotation: body!.place.rotation as Quat, size: 1 }],
        lo,
        hi,
      ); // a mesh may stand beside its own origin
    const middle = [0, 1, 2].map((c) => round((lo[c]! + hi[c]!) / 2)) as Vec;
    const field = newField(
      kind,
      freeName(
        kind,
        shot.fields.map((f) => f.name),
      ),
      middle,
      Math.max(...size),
    );
    const use = chosenFalloff(view);
    const found = shot.document?.falloffs.find((f) => f.name === use);
    if (found && (kind !== "anchor" || isStill(found.layers as Layer[])))
      field.reach = { layers: [], use, strength: 1, limits: [0, 1] };
    else if (kind === "anchor" && body) {
      const shape = field.reach.layers![0]!.shape;
      if (shape.kind === "box") {
        const [wide, high, deep] = [0, 1, 2].map((c) => hi[c]! - lo[c]!) as Vec;
        shape.core = [round(wide * 1.2), round(high * 0.24), round(deep * 1.2)];
        shape.center = [middle[0], round(lo[1] + high * 0.06), middle[2]];
        shape.edge = Number((high * 0.05).toPrecision(2));
      }
    }
    shot.edit(`add ${field.name}`, (d) => d.fields.push(field));
    view.showing = "set-up";
    view.select({ kind: "field", name: field.name });
  };
}

/** The shared falloff that is chosen, alone or beside what is made from it. */
export const chosenFalloff = (view: ReturnType<typeof useView>): string | null =>
  view.chosen.find((c) => c.kind === "falloff")?.name ?? null;
