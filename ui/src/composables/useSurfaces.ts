/** Lays bodies that deform before the eye: their places in the set-up and in a take, and their colours. */
import type { ComputedRef, ShallowRef } from "vue";
import { memberName } from "../lib/document";
import type { FrameData } from "../lib/frames";
import { actedColors, mapColors, packed, speeds, TOUCHED } from "../lib/frameColors";
import { explodedBy, partsOf, pieceFigures } from "../lib/pieces";
import { hexColor, type Rgb } from "../lib/ramp";
import { familyColors } from "../lib/familyColors";
import { turn, type Vec } from "../lib/rotation";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import type { Stage } from "../viewport/Stage";
import { toldApart } from "../viewport/paint";
import type { SurfaceColor, SurfaceShape } from "../viewport/SurfaceBatch";
import type { Copy, Shown } from "./useShown";

/** Whether a thing is drawn as what deforms: a moment after its matter changed it is still what it was. */
export const isSoft = (thing: Shown): boolean => thing.packed.lines !== undefined;

/**
 * Vertices of a copy where the document has them [m], world; off: how far one stands off its place, in the body's frame.
 */
export function placed(vertices: Float32Array, copy: Copy, off?: (vertex: number) => Vec): Float32Array {
  const out = new Float32Array(vertices.length);
  for (let v = 0; v < vertices.length; v += 3) {
    const aside = off?.(v / 3);
    const local = [0, 1, 2].map((c) => (vertices[v + c]! + (aside?.[c] ?? 0)) * copy.size) as Vec;
    const w = turn(copy.rotation, local);
    for (let c = 0; c < 3; c++) out[v + c] = w[c]! + copy.position[c]!;
  }
  return out;
}

/** a piece that is picked, and steps in which pieces are looked at, not the whole */
const PICKED: Rgb = [0.42, 0.94, 0.74];
const PIECEWISE: readonly string[] = ["break", "bind"];

type Values = ArrayLike<number> | ((vertex: number) => number);

export function useSurfaces(
  stage: ShallowRef<Stage | null>,
  shown: ComputedRef<Shown[]>,
  inTake: ComputedRef<boolean>,
  frame: ShallowRef<FrameData | null>,
  before?: ComputedRef<FrameData | null>,
): { paintSurfaces: () => void } {
  const survey = useSurvey();
  const shot = useShot();
  const takes = useTakes();
  const view = useView();
  let laid = "";
  const ids = new WeakMap<object, number>();
  let next = 0;
  const idOf = (x: object): number => ids.get(x) ?? (ids.set(x, ++next), next);

  function layOut(s: Stage, soft: readonly Shown[]): boolean {
    const radius = (t: Shown): number => (t.body.matter.kind === "rope" ? t.body.matter.radius! : 0);
    const eye = ({ body }: Shown): number[] => {
      const { thickness = 0, side = 0, smooth = 0, sides = 8 } = body.material.look ?? {};
      return [body.matter.kind === "cloth" ? thickness : 0, side, smooth, sides];
    };
    const drawn = (t: Shown): string => [t.name, t.copies.length, idOf(t.packed), radius(t), ...eye(t)].join(":");
    const mark = [s.batch.count, ...soft.map(drawn)];
    if (mark.join("|") === laid) return false;
    laid = mark.join("|");
    const shapes = soft.flatMap((thing) =>
      thing.copies.map((copy, k): SurfaceShape => {
        const [thick, side, smooth, sides] = eye(thing);
        const { vertices, rest, faces, lines } = thing.packed as unknown as Record<string, Float32Array>;
        return {
          name: thing.name,
          copy: k,
          vertices: (rest ?? vertices!).map((x) => x * copy.size),
          faces: faces as unknown as Uint32Array,
          lines: lines as unknown as Uint32Array,
          radius: radius(thing) * copy.size,
          thick: thick! * copy.size,
          side: side!,
          smooth: smooth!,
          sides: sides!,
        };
      }),
    );
    s.surfaces.setShapes(shapes, s.batch.count);
    return true;
  }

  /** What colours one in a frame of a take, by what is asked for and the frame has; null where it has not. */
  function inFrame(own: string, arrays: FrameData["arrays"]): [SurfaceColor, Values] | null {
    const document = takes.document;
    if (view.colorBy === "map") {
      const of = mapColors(arrays, own, view.map, document?.maps.find((m) => m.name === view.map)?.ramp);
      return of && ["packed", of];
    }
    if (view.colorBy === "tension") {
      const share = arrays[`tension/${own}`];
      return share ? ["value", (v) => share[v]! / 255] : null;
    }
    if (view.colorBy === "touch") {
      const touches = arrays[`touch/${own}`];
      return touches ? ["packed", (v) => packed(touches[v] ? TOUCHED : null)] : null;
    }
    if (view.colorBy === "speed") {
      const [now, then] = [arrays[`points/${own}`], before?.value?.arrays[`points/${own}`]];
      return now && then ? ["value", speeds(now, then, document?.timing.fps ?? 24)] : null;
    }
    const bits = view.colorBy === "fields" ? arrays[`acted/${own}`] : undefined;
    const count = (arrays[`points/${own}`]?.length ?? 0) / 3;
    if (!bits || !document || !count) return null;
    return ["packed", actedColors(bits, bits.length / count, document.fields, familyColors())];
  }

  /** How far vertices of one stand off their places in an exploded view; undefined where none do. */
  function explodedOf(thing: Shown): ((vertex: number) => Vec) | undefined {
    const part = thing.packed.part;
    if (!part || !view.explode.some((by) => by > 0)) return undefined;
    const figures = pieceFigures(partsOf(thing.packed));
    const off = Array.from({ length: figures.count }, (_, p) => explodedBy(figures, p, view.explode));
    return (v) => off[part[v]!]!;
  }

  /** What tells the pieces of one apart, and those that are picked; null where nothing is to be told. */
  function partColors(thing: Shown): Values | null {
    const part = thing.packed.part;
    const of = partsOf(thing.packed);
    const picked = new Set(view.thing === thing.name ? view.picked : []);
    if (!part || (!picked.size && !toldApart(view.colorBy, of, 0))) return null;
    const colors = Array.from({ length: of.volume!.length }, (_, p) =>
      packed(picked.has(p) ? PICKED : toldApart(view.colorBy, of, p)),
    );
    return (v) => colors[part[v]!]!;
  }

  /** What colours one, and the numbers it is coloured by where these are its vertices'. */
  function colorOf(thing: Shown, own: string, arrays: FrameData["arrays"] | undefined): [SurfaceColor, Values | null] {
    const chosen = view.selection;
    const pinned = view.step === "bind" && !arrays && survey.result?.vertices[own]?.pinned.length;
    const apart = pinned ? null : partColors(thing);
    if (apart) return ["packed", apart];
    if (arrays) {
      if (view.colorBy === "stretch") return ["stretch", null];
      const seen = inFrame(own, arrays);
      if (seen) return seen;
      const state = view.colorBy === "state" ? arrays[`state/${own}`] : undefined;
      return state ? ["held", (v) => (state[v] === 0 ? 1 : 0)] : ["own", null];
    }
    const found = survey.result?.vertices[own];
    if (!found) return ["own", null];
    if (view.colorBy === "map" && found.map?.length) {
      const ramps = shot.document?.maps.find((m) => m.name === view.map)?.ramp;
      const as = { [`value/${view.map}/${own}`]: found.map, [`color/${view.map}/${own}`]: found.tint } as never;
      const of = mapColors(as, own, view.map, ramps);
      if (of) return ["packed", of];
    }
    const weighed = view.weighing;
    if (weighed && chosen?.name === own) {
      const values = view.painted ?? survey.result?.weights[`${weighed.part}.${weighed.k}`];
      if (values) return ["value", values];
    }
    if (view.colorBy === "reach" && chosen?.kind === "field" && found.reach.length)
      return ["value", found.reach.map((r) => (r > 0 ? r : -1))];
    const most = view.colorBy === "pressure" ? survey.mostPressure : 0;
    if (most > 0 && found.pressure.length) return ["value", found.pressure.map((p) => p / most)];
    if (!found.pinned.length) return ["own", null];
    const held = new Float32Array(found.count);
    for (const v of found.pinned) held[v] = 1;
    return ["held", held];
  }

  function paintSurfaces(): void {
    const s = stage.value;
    if (!s) return;
    const soft = shown.value.filter(isSoft);
    layOut(s, soft);
    let k = 0;
    for (const thing of soft) {
      const exploded = explodedOf(thing);
      thing.copies.forEach((copy, c) => {
        const own = thing.group ? memberName(thing.name, c) : thing.name;
        const arrays = inTake.value ? frame.value?.arrays : undefined;
        const points = arrays?.[`points/${own}`];
        s.surfaces.setPlaces(k, points ?? placed(thing.packed.vertices as Float32Array, copy, exploded));
        const [by, values] = colorOf(thing, own, arrays);
        if (typeof values === "function") s.surfaces.setValues(k, values);
        else if (values) s.surfaces.setValues(k, (v) => values[v] ?? -1);
        s.surfaces.setLook(k, hexColor(thing.body.material.look?.color ?? "#b4b1a4"), by, {
          chosen:
            (!thing.packed.part || !PIECEWISE.includes(view.step)) &&
            view.chosen.some((x) => x.name === thing.name && (x.kind === "body" || x.kind === "group")),
          hidden: view.hidden.includes(thing.name),
          most: MOST_STRETCH,
        });
        k++;
      });
    }
    s.invalidate();
  }

  return { paintSurfaces };
}

/** stretch at the end of the ramp */
export const MOST_STRETCH = 0.1;
