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
  interface Row {
    said: string[];
    cues: string[];
    stitches: Map<string, { count: number; load: number; strength: number }>;
    causes: Map<string, number>;
  }
  const byFrame = new Map<number, Row>();
  for (const e of events) {
    if (!["cue", "tie_broken", "limit", "bond_broken", "seam_opened"].includes(e.kind)) continue;
    const row: Row = byFrame.get(e.frame) ?? { said: [], cues: [], stitches: new Map(), causes: new Map() };
    byFrame.set(e.frame, row);
    if (e.kind === "cue") row.cues.push(e.field!);
    else if (e.kind === "limit") row.said.push(`${e.what} limit held ${e.body} back`);
    else if (e.kind === "tie_broken") {
      const known = row.stitches.get(e.tie!);
      const load = Math.max(known?.load ?? 0, e.load!);
      row.stitches.set(e.tie!, { count: (known?.count ?? 0) + 1, load, strength: e.strength! });
    } else {
      const why = causeWords(e.causes?.[0], e.body);
      row.causes.set(why, (row.causes.get(why) ?? 0) + 1);
    }
  }
  const out: Moment[] = [];
  for (const [frame, { said, cues, stitches, causes }] of byFrame) {
    for (const [tie, { count, load, strength }] of stitches) {
      const times = count > 1 ? `, ${count} stitches` : "";
      said.push(`${tie} gave way${times}, ${showNumber(load, 3)} of ${showNumber(strength, 3)} kN`);
    }
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
