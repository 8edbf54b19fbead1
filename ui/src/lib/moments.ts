/** What happened in a take, a line a frame: what acted, was let go, gave way, ended, and what most bonds broke by. */
import type { TakeEvent } from "../api/types";
import { causeWords } from "./document";
import { endWords, releaseWords } from "./trace";
import { showNumber } from "./units";

export interface Moment {
  frame: number;
  /** the last frame of a run of the same, where that is another */
  until: number;
  broken: number;
  cause: string;
  /** bodies whose bonds or seams gave way, that were let go, or ended */
  bodies: string[];
}

/** A limit that held bodies back. */
export interface Limit {
  what: string;
  body: string;
  times: number;
  frame: number;
}

/** frames between two of the same that are one run */
const GAP = 3;

export function momentsOf(events: readonly TakeEvent[]): Moment[] {
  interface Row {
    said: string[];
    cues: string[];
    stitches: Map<string, { count: number; load: number; strength: number }>;
    causes: Map<string, number>;
    bodies: Set<string>;
  }
  const byFrame = new Map<number, Row>();
  for (const e of events) {
    if (!["cue", "tie_broken", "bond_broken", "seam_opened", "release", "kill"].includes(e.kind)) continue;
    const row: Row = byFrame.get(e.frame) ?? {
      said: [],
      cues: [],
      stitches: new Map(),
      causes: new Map(),
      bodies: new Set(),
    };
    byFrame.set(e.frame, row);
    if (e.body && e.kind !== "cue") row.bodies.add(e.body);
    if (e.kind === "cue") row.cues.push(e.field!);
    else if (e.kind === "release" || e.kind === "kill") {
      const words = `${e.body} ${e.kind === "kill" ? endWords(e) : releaseWords(e)}`;
      if (!row.said.includes(words)) row.said.push(words); // of its pieces each
    } else if (e.kind === "tie_broken") {
      const known = row.stitches.get(e.tie!);
      const load = Math.max(known?.load ?? 0, e.load!);
      row.stitches.set(e.tie!, { count: (known?.count ?? 0) + 1, load, strength: e.strength! });
    } else {
      const why = causeWords(e.causes?.[0], e.body);
      row.causes.set(why, (row.causes.get(why) ?? 0) + 1);
    }
  }
  const out: Moment[] = [];
  for (const [frame, { said, cues, stitches, causes, bodies }] of byFrame) {
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
    out.push({
      frame,
      until: frame,
      broken: [...causes.values()].reduce((sum, n) => sum + n, 0),
      cause: words.join("; "),
      bodies: [...bodies].sort(),
    });
  }
  return folded(out.sort((a, b) => a.frame - b.frame));
}

/** Runs of the same cause in the same bodies, frame after frame, as one line. */
function folded(moments: readonly Moment[]): Moment[] {
  const out: Moment[] = [];
  for (const m of moments) {
    const before = out.at(-1);
    const same = before?.cause === m.cause && before.bodies.join() === m.bodies.join();
    if (before && same && m.frame <= before.until + GAP) {
      before.until = m.frame;
      before.broken += m.broken;
    } else out.push({ ...m });
  }
  return out;
}

/** What was held back by limits, most often first. */
export function limitsOf(events: readonly TakeEvent[]): Limit[] {
  const found = new Map<string, Limit>();
  for (const e of events) {
    if (e.kind !== "limit") continue;
    const key = `${e.what} ${e.body}`;
    const known = found.get(key);
    if (known) known.times++;
    else found.set(key, { what: e.what!, body: e.body!, times: 1, frame: e.frame });
  }
  return [...found.values()].sort((a, b) => b.times - a.times);
}
