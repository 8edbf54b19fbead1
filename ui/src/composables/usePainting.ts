/** Lays what is shown into the piece batch: geometry, places and colours. */
import { computed, type ComputedRef, type ShallowRef } from "vue";
import type { ShotDocument } from "../api/types";
import { familyColors } from "../lib/familyColors";
import { speeds } from "../lib/frameColors";
import type { FrameData } from "../lib/frames";
import { ramp, type Rgb } from "../lib/ramp";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import { byFields, byMap, byWeight } from "../viewport/maps";
import { paint } from "../viewport/paint";
import type { Stage } from "../viewport/Stage";
import type { Shown } from "./useShown";

export function usePainting(
  stage: ShallowRef<Stage | null>,
  shown: ComputedRef<Shown[]>,
  inTake: ComputedRef<boolean>,
  frame: ShallowRef<FrameData | null>,
  before?: ComputedRef<FrameData | null>,
): { paintPieces: () => boolean } {
  const shot = useShot();
  const pieces = usePieces();
  const survey = useSurvey();
  const takes = useTakes();
  const view = useView();
  let laid = "";

  const ids = new WeakMap<object, number>();
  let nextId = 0;
  function idOf(thing: object): number {
    if (!ids.has(thing)) ids.set(thing, nextId++);
    return ids.get(thing)!;
  }

  /** Lay out geometry anew if the set of bodies or their pieces changed; true if it did. */
  function layOut(s: Stage): boolean {
    const mark = shown.value.map((b) => `${b.name}:${b.copies.length}:${idOf(b.packed)}`).join("|");
    if (mark === laid) return false;
    laid = mark;
    s.batch.setBodies(shown.value.map((b) => ({ name: b.name, packed: b.packed, copies: b.copies.length })));
    return true;
  }

  const brokeAt = computed(() => {
    const out = new Map<string, number>();
    for (const e of takes.events) if (e.kind === "bond_broken" && e.body && !out.has(e.body)) out.set(e.body, e.frame);
    return out;
  });

  /** Colour of a piece by a map, by the fields that act or by the weight it bears, where one of these is chosen. */
  function ownColor(
    document: ShotDocument,
    now: FrameData | null,
    known: boolean,
  ): ((piece: number) => Rgb | null) | null {
    if (view.colorBy === "map")
      return now || (known && !inTake.value) ? byMap(document, view.map, now, survey.result) : null;
    if (view.colorBy === "fields" && now?.arrays.acted) return byFields(now, document, familyColors());
    if (view.colorBy === "speed") {
      const [at, then] = [now?.arrays.position, before?.value?.arrays.position];
      const share = at && then ? speeds(at, then, document.timing.fps ?? 24) : null;
      return share && ((piece) => ramp(share(piece)));
    }
    return view.colorBy === "load" && now?.arrays.load ? byWeight(now) : null;
  }

  /** Places and colours of all pieces; true if there is other geometry than before. */
  function paintPieces(): boolean {
    const s = stage.value;
    if (!s) return false;
    const fresh = layOut(s);
    const values = survey.result?.values;
    const anchors = shot.fields.filter((f) => f.on && f.effect.kind === "anchor");
    const known = survey.result?.bodies.reduce((sum, [, n]) => sum + n, 0) === s.batch.count;
    const document = inTake.value ? takes.document! : shot.document;
    const now = frame.value?.pieces === s.batch.count ? frame.value : null;
    paint(s.batch, shown.value, {
      own: document ? ownColor(document, now, known) : null,
      colorBy: view.colorBy,
      explode: view.explode,
      chosen: new Set(view.chosen.filter((x) => x.kind === "body" || x.kind === "group").map((x) => x.name)),
      hidden: new Set(view.hidden),
      whole: view.step !== "break" && view.step !== "bind" && !view.piece,
      picked: new Set(view.picked.length ? view.picked : view.piece ? [view.piece.index] : []),
      frame: frame.value,
      reach:
        known && view.colorBy === "reach" && view.selection?.kind === "field"
          ? values?.[view.selection.name]
          : undefined,
      held: (name, p) =>
        !!known &&
        anchors.some(
          (f) =>
            (f.targets === "all" || f.targets!.includes(name)) &&
            (values?.[f.name]?.[p] ?? 0) >= ((f.effect as { cut?: number }).cut ?? 0.5),
        ),
      strengths: pieces.strengths,
      brokeAt: brokeAt.value,
    });
    s.invalidate();
    return fresh;
  }

  return { paintPieces };
}
