/** What happened in a take, a line a frame: what acted, what gave way, and what most of the bonds broke by. */
import type { TakeEvent } from "../api/types";
import { causeWords } from "./document";
import { showNumber } from "./units";

export interface Moment {
  frame: number;
  broken: number;
  cause: string;
}

export function momentsOf(events: readonly TakeEvent[]): Moment[] {
  const byFrame = new Map<number, { said: string[]; cues: string[]; causes: Map<string, number> }>();
  for (const e of events) {
    if (!["cue", "tie_broken", "limit", "bond_broken"].includes(e.kind)) continue;
    const row = byFrame.get(e.frame) ?? { said: [], cues: [], causes: new Map<string, number>() };
    byFrame.set(e.frame, row);
    if (e.kind === "cue") row.cues.push(e.field!);
    else if (e.kind === "limit") row.said.push(`${e.what} limit held ${e.body} back`);
    else if (e.kind === "tie_broken")
      row.said.push(`${e.tie} gave way, ${showNumber(e.load!, 3)} of ${showNumber(e.strength!, 3)} kN`);
    else {
      const why = causeWords(e.causes?.[0], e.body);
      row.causes.set(why, (row.causes.get(why) ?? 0) + 1);
    }
  }
  const out: Moment[] = [];
  for (const [frame, { said, cues, causes }] of byFrame) {
    const most = [...causes].sort((a, b) => b[1] - a[1])[0]?.[0];
    const words = [
      ...said,
      ...(most !== undefined && !cues.includes(most) ? [most] : []),
      ...[...new Set(cues)].map((name) => `${name} acts`),
    ];
    out.push({ frame, broken: [...causes.values()].reduce((sum, n) => sum + n, 0), cause: words.join("; ") });
  }
  return out.sort((a, b) => a.frame - b.frame);
}
