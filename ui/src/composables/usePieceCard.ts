/** The card of numbers beside the piece under the pointer, or the one picked. */
import { ref, type ComputedRef, type Ref, type ShallowRef } from "vue";
import { arrowUnit, causeWords, memberName } from "../lib/document";
import type { FrameData } from "../lib/frames";
import { pieceFigures } from "../lib/pieces";
import { numbersAt, weightLines } from "../lib/vertices";
import { showMass, showNumber } from "../lib/units";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import { actedOn } from "../viewport/maps";
import type { Stage } from "../viewport/Stage";
import type { Hit } from "./usePicking";
import type { Shown } from "./useShown";

export interface Card {
  x: number;
  y: number;
  lines: string[];
}

export function usePieceCard(
  stage: ShallowRef<Stage | null>,
  inTake: ComputedRef<boolean>,
  frame: ShallowRef<FrameData | null>,
  locate: (piece: number) => Hit | null,
): { card: Ref<Card | null>; hovered: Ref<number>; pointer: Ref<{ x: number; y: number }>; placeCard: () => void } {
  const shot = useShot();
  const pieces = usePieces();
  const survey = useSurvey();
  const takes = useTakes();
  const view = useView();
  const card = ref<Card | null>(null);
  /** the piece under the pointer, -1: none */
  const hovered = ref(-1);
  /** where the pointer is, in CSS pixels of the view */
  const pointer = ref({ x: 0, y: 0 });

  /** The piece under the pointer, or the one picked, says its numbers where it is. */
  function placeCard(): void {
    const s = stage.value;
    const b = view.piece && s ? s.batch.names.indexOf(view.piece.body) : -1;
    const piece = hovered.value >= 0 ? hovered.value : b >= 0 && s ? s.batch.first[b]! + view.piece!.index : -1;
    const hit = locate(piece);
    if (!s || !hit) {
      card.value = null;
      return;
    }
    const soft = piece - s.batch.count;
    if (soft >= 0) {
      const { origin, along } = s.ray(pointer.value.x, pointer.value.y);
      const met = s.surfaces.meet(soft, origin, along);
      const lines = [...(view.painting ? [] : matterLines(hit.thing, 0, 0)), ...vertexLines(hit, met?.vertex)];
      card.value = { ...pointer.value, lines };
      return;
    }
    const at = s.project(...s.placeOf(piece));
    card.value = at ? { x: at.x, y: at.y, lines: cardLines(hit, piece) } : null;
  }

  function cardLines({ thing, copy, index }: Hit, piece: number): string[] {
    const lines = [...matterLines(thing, copy, index), ...fieldLines(piece)];
    return inTake.value ? [...lines, ...runLines(piece, thing.name)] : lines;
  }

  /** What the piece is: its size, mass and bonds. */
  function matterLines(thing: Shown, copy: number, index: number): string[] {
    const { packed, body, name } = thing;
    if (!packed.volume!.length) {
      const own = pieces.built.get(name)?.figures;
      return own
        ? [`${name} · ${body.matter.kind} · ${own.vertices.toLocaleString("en")} vertices · ${showMass(own.mass)}`]
        : [name];
    }
    const figures = pieceFigures(packed);
    const volume = packed.volume![index]! * (thing.copies[copy]?.size ?? 1) ** 3;
    const density = pieces.built.get(name)?.figures.density ?? body.material.density!;
    const lines = [
      `${figures.count > 1 ? `piece ${index}${figures.tiers > 1 ? ` · tier ${figures.tier[index]}` : ""}` : name} · ${showNumber(Math.cbrt(volume), 2)} m · ${showMass(volume * density)}`,
    ];
    const ends = packed.bond_piece!;
    const own: number[] = [];
    for (let k = 0; k < ends.length / 2; k++) if (ends[k * 2] === index || ends[k * 2 + 1] === index) own.push(k);
    const strength = pieces.strengths.get(name);
    if (body.bonds && own.length) {
      const total =
        strength && !inTake.value
          ? own.reduce((sum, k) => sum + (strength[k] ?? 0), 0)
          : own.reduce(
              (sum, k) => sum + body.bonds!.strength! * (body.bonds!.unit === "kN" ? 1 : packed.bond_area![k]!),
              0,
            );
      lines.push(`${own.length} bonds · ${showNumber(total, 3)} kN in all`);
    } else if (figures.count > 1) lines.push(`${own.length} neighbours, no bonds`);
    return lines;
  }

  /** What is known of a vertex of a body that deforms. */
  function vertexLines({ thing, copy }: Hit, vertex: number | undefined): string[] {
    if (vertex === undefined) return [];
    const own = thing.group ? memberName(thing.name, copy) : thing.name;
    const now = inTake.value ? frame.value?.arrays : undefined;
    if (now) return numbersAt(now, own, vertex, view.map);
    const found = survey.result?.vertices[own];
    const part = thing.packed.part;
    const lines = [
      `${part ? `piece ${part[vertex]} · ` : ""}vertex ${vertex}${found?.pinned.includes(vertex) ? " · pinned" : ""}`,
    ];
    const field = view.selection?.kind === "field" ? view.selection.name : "";
    if (field && found?.reach.length) lines.push(`${field}: reach ${showNumber(found.reach[vertex]!, 2)}`);
    if (found?.pressure.length) lines.push(`${field} presses ${showNumber(found.pressure[vertex]!, 3)} Pa`);
    if (thing.name === view.thing) lines.push(...weightLines(survey.result?.weights ?? {}, vertex));
    return lines;
  }

  /** What the chosen field or map is at the piece. */
  function fieldLines(piece: number): string[] {
    const chosen = view.selection;
    const lines: string[] = [];
    if (
      !inTake.value &&
      chosen?.kind === "field" &&
      survey.result?.values[chosen.name]?.length === stage.value!.batch.count
    ) {
      const pull = survey.result.arrows[piece];
      const over = shot.fields.find((f) => f.name === chosen.name)!;
      lines.push(
        `${chosen.name}: reach ${showNumber(survey.result.values[chosen.name]![piece]!, 2)}${pull ? ` · ${showNumber(Math.hypot(...pull), 3)} ${arrowUnit(over)}` : ""}`,
      );
    }
    if (!inTake.value && chosen?.kind === "map" && survey.result?.maps[chosen.name])
      lines.push(`${chosen.name}: ${showNumber(survey.result.maps[chosen.name]!.values[piece] ?? 0, 2)}`);
    const now = frame.value?.arrays;
    if (view.colorBy === "map" && now?.[`map/${view.map}`])
      lines.push(`${view.map}: ${showNumber(now[`map/${view.map}`]![piece]!, 2)}`);
    return lines;
  }

  /** What the run did to the piece by the frame shown. */
  function runLines(piece: number, name: string): string[] {
    const now = frame.value?.arrays;
    const lines: string[] = [];
    lines.push(takes.stateNames[stage.value!.batch.stateOf(piece)] ?? "");
    if (view.colorBy === "fields" && frame.value && takes.document)
      lines.push(actedOn(frame.value, takes.document, piece).join(", ") || "no field acts on it");
    if (view.colorBy === "load" && now?.load)
      lines.push(`loads take ${showNumber(100 * now.load[piece]!, 2)} % of its worst bond`);
    const broke = takes.events.filter(
      (e) => e.kind === "bond_broken" && e.frame <= view.frame && (e.pieces?.[0] === piece || e.pieces?.[1] === piece),
    );
    const last = broke.at(-1);
    if (last) {
      const why = last.causes?.[0];
      lines.push(
        `${last.load!.toFixed(0)} kN of ${last.strength!.toFixed(0)} · ${causeWords(why, name)} at f ${last.frame}`,
      );
    }
    return lines;
  }

  return { card, hovered, pointer, placeCard };
}
