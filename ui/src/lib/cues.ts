/** When fields act, in frames, as their lanes draw it. */
import type { FieldItem } from "../api/types";
import { OVER_TIME } from "./document";

export type Cue = Record<string, number | null | number[]> & { kind: string };
export interface Bar {
  from: number;
  to: number;
  /** frames it takes to come and to go */
  ease: number;
  out: number;
}
/** pulses drawn at most */
const MOST = 400;

export const cueOf = (f: FieldItem): Cue => f.cue as unknown as Cue;
const num = (cue: Cue, key: string): number => (cue[key] as number | null) ?? 0;

/** Frames at which blows fall. */
export function starts(f: FieldItem, total: number, fps: number): number[] {
  const cue = cueOf(f);
  if (cue.kind === "at") return [num(cue, "time") * fps];
  if (cue.kind === "hand") return (cue.times as number[]).map((t) => t * fps);
  if (cue.kind !== "pulse") return [];
  const every = num(cue, "every") * fps;
  const first = num(cue, "start") * fps;
  const most = Math.min((cue.count as number | null) ?? Infinity, Math.floor((total - first) / every) + 1, MOST);
  return Array.from({ length: Math.max(0, most) }, (_, k) => first + k * every);
}

/** Spans and pulses that last. */
export function barsOf(f: FieldItem, total: number, fps: number): Bar[] {
  const cue = cueOf(f);
  if (f.effect.kind === "anchor") return [{ from: 0, to: total, ease: 0, out: 0 }];
  if (cue.kind === "span")
    return [
      {
        from: num(cue, "start") * fps,
        to: cue.end === null ? total : num(cue, "end") * fps,
        ease: num(cue, "ease_in") * fps,
        out: num(cue, "ease_out") * fps,
      },
    ];
  if (cue.kind === "at" && OVER_TIME.has(f.effect.kind))
    return [{ from: num(cue, "time") * fps, to: total, ease: 0, out: 0 }];
  const length = num(cue, "length") * fps;
  return length > 0 ? starts(f, total, fps).map((t) => ({ from: t, to: t + length, ease: 0, out: 0 })) : [];
}

/** What is drawn as single blows. */
export const blows = (f: FieldItem, total: number, fps: number): number[] =>
  f.effect.kind === "anchor" || barsOf(f, total, fps).length ? [] : starts(f, total, fps);

/** A cue moved by so many seconds, or one end of its span. */
export function movedCue(before: Cue, shift: number, part: "all" | "start" | "end", fps: number): Cue {
  const cue = structuredClone(before);
  const later = (t: number): number => Number(Math.max(0, t + shift).toFixed(4));
  const put = (key: string): void => {
    if (typeof before[key] === "number") cue[key] = later(before[key] as number);
  };
  if (cue.kind === "hand") cue.times = (before.times as number[]).map(later);
  if (part !== "end") ["time", "start"].forEach(put);
  if (part !== "start") put("end");
  if (cue.kind === "span" && typeof cue.end === "number" && cue.end <= (cue.start as number)) {
    if (part === "start") cue.start = Math.max(0, cue.end - 1 / fps);
    else cue.end = (cue.start as number) + 1 / fps;
  }
  return cue;
}
