/** What one piece of a take went through, in words and as lines of a plot. */
import type { BondLoad, TakeEvent } from "../api/types";
import { causeWords } from "./document";
import { showNumber } from "./units";

/** A piece of a take that is traced. */
export interface Traced {
  /** as numbered in the frames */
  piece: number;
  /** the first piece of its body */
  first: number;
  body: string;
  /** the chosen thing it belongs to: its body, or the group of that */
  thing: string;
}

/** frames between two hits that are one line */
const GAP = 6;
const ENDS: Record<string, string> = { rest: "put to rest", freeze: "frozen", remove: "removed" };

/** An event of the piece in a line; pieces beyond are numbered in their body. */
export function eventWords(event: TakeEvent, traced: Traced): string {
  const other = event.pieces?.find((p) => p !== null && p !== traced.piece);
  const load = `${showNumber(event.load ?? 0, 3)} of ${showNumber(event.strength ?? 0, 3)} kN`;
  switch (event.kind) {
    case "bond_broken":
      return `${sourceWords(event.causes ?? [], traced.body)}: ${pieceWord(other ?? traced.piece, traced)} parted, ${load}`;
    case "tie_broken":
      return `${event.tie} gave way, ${load}`;
    case "kill":
      return endWords(event);
    case "release":
      return releaseWords(event);
    case "limit":
      return `held back by the ${event.what} limit`;
    case "impact":
      return `${metWord(event, traced)} at ${showNumber(event.speed ?? 0, 2)} m/s`;
    default:
      return event.kind;
  }
}

function metWord(event: TakeEvent, traced: Traced): string {
  const by = event.bodies?.[event.pieces?.[0] === traced.piece ? 1 : 0] ?? "";
  return by === traced.body ? "met its own body" : `met ${by}`;
}

export interface Happening {
  first: number;
  last: number;
  words: string;
}

/** What became of the piece, a line each; hits on the same body one after the other are one. */
export function storyOf(events: readonly TakeEvent[], traced: Traced): Happening[] {
  const out: (Happening & { hits: number; fastest: TakeEvent })[] = [];
  for (const event of events) {
    const before = out.at(-1);
    const same =
      event.kind === "impact" &&
      before?.hits &&
      event.frame <= before.last + GAP &&
      metWord(event, traced) === metWord(before.fastest, traced);
    if (before && same) {
      before.hits++;
      before.last = event.frame;
      if ((event.speed ?? 0) > (before.fastest.speed ?? 0)) before.fastest = event;
      const fastest = showNumber(before.fastest.speed ?? 0, 2);
      before.words = `${metWord(event, traced)} ${before.hits} times, at ${fastest} m/s at most`;
    } else
      out.push({
        first: event.frame,
        last: event.frame,
        words: eventWords(event, traced),
        hits: event.kind === "impact" ? 1 : 0,
        fastest: event,
      });
  }
  return out.map(({ first, last, words }) => ({ first, last, words }));
}

/** What let something go that had waited. */
export function releaseWords({ cause }: TakeEvent): string {
  if (cause?.touch) return `let go, touched by ${cause.touch}`;
  if (cause?.field) return `let go, reached by ${cause.field}`;
  return `let go, at ${showNumber(cause?.cue ?? 0, 3)} s`;
}

/** What a kill did, and which. */
export const endWords = (event: TakeEvent): string => `${ENDS[event.what ?? ""] ?? event.what} by ${event.field}`;

/** A piece as numbered in its body. */
export function pieceWord(piece: number, traced: Traced): string {
  return `piece ${piece - traced.first}`;
}

/** Where a load comes from, the most first, each with its share of all. */
export function sourceWords(causes: BondLoad["causes"] | NonNullable<TakeEvent["causes"]>, body: string): string {
  const all = causes.reduce((sum, c) => sum + c.load, 0) || 1;
  return causes
    .map((c) => {
      const share = Math.round((100 * c.load) / all);
      return causes.length > 1 ? `${causeWords(c, body)} ${share} %` : causeWords(c, body);
    })
    .join(", ");
}

/** A line through values, one a frame, in a box of a width and height; ``top`` is at its upper edge. */
export function tracePath(values: readonly number[], top: number, width: number, height: number): string {
  const last = Math.max(1, values.length - 1);
  const y = (v: number): number => height * (1 - Math.min(1, Math.max(0, v / top)));
  return values.map((v, k) => `${k ? "L" : "M"}${((k / last) * width).toFixed(1)} ${y(v).toFixed(1)}`).join("");
}

/** Where a span of frames is on a strip, in hundredths of its width. */
export function spanAt([first, last]: readonly [number, number], frames: number): { left: string; width: string } {
  const of = Math.max(1, frames);
  return { left: `${(100 * first) / of}%`, width: `max(2px, ${(100 * (last - first + 1)) / of}%)` };
}
