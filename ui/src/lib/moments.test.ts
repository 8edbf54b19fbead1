import { describe, expect, it } from "vitest";
import { limitsOf, momentsOf } from "./moments";
import type { TakeEvent } from "../api/types";

const broke = (frame: number, cause: Record<string, unknown>): TakeEvent =>
  ({ frame, kind: "bond_broken", body: "tower", causes: [cause] }) as unknown as TakeEvent;

describe("moments of a take", () => {
  it("name what most bonds broke by, a field that acts only once, and what else fell into the frame", () => {
    const events = [
      { frame: 25, kind: "cue", field: "breaker" },
      broke(25, { field: "breaker" }),
      broke(25, { field: "breaker" }),
      broke(25, { impact: "tower" }),
      { frame: 26, kind: "cue", field: "backwash" },
      broke(26, { weight: "tower" }),
      { frame: 7, kind: "tie_broken", tie: "stay", load: 22.9, strength: 14 },
      broke(7, { impact: "bell" }),
      { frame: 8, kind: "impact" },
    ] as TakeEvent[];
    expect(momentsOf(events)).toEqual([
      { frame: 7, until: 7, broken: 1, cause: "stay gave way, 22.9 of 14 kN; hit by bell", bodies: ["tower"] },
      { frame: 25, until: 25, broken: 3, cause: "breaker acts", bodies: ["tower"] },
      { frame: 26, until: 26, broken: 1, cause: "its own weight; backwash acts", bodies: ["tower"] },
    ]);
  });

  it("tell what deforms and parts, and fold the stitches of one seam", () => {
    const stitch = (load: number) => ({ frame: 9, kind: "tie_broken", tie: "thread", load, strength: 0.1 });
    const tore = { frame: 9, kind: "seam_opened", body: "sail", causes: [{ tension: true, load: 2, share: 1 }] };
    expect(momentsOf([stitch(0.2), stitch(0.3), tore, tore] as unknown as TakeEvent[])).toEqual([
      {
        frame: 9,
        until: 9,
        broken: 2,
        cause: "thread gave way, 2 stitches, 0.3 of 0.1 kN; pulled apart",
        bodies: ["sail"],
      },
    ]);
  });

  it("say what was let go and what ended, once for all pieces of a body", () => {
    const go = (cause: object, body = "wall") => ({ frame: 4, kind: "release", body, cause });
    const end = { frame: 6, kind: "kill", body: "wall", what: "remove", field: "sea" };
    const events = [go({ touch: "stone" }), go({ touch: "stone" }), go({ cue: 0.5 }, "sail"), end, end];
    expect(momentsOf(events as unknown as TakeEvent[])).toEqual([
      {
        frame: 4,
        until: 4,
        broken: 0,
        cause: "wall let go, touched by stone; sail let go, at 0.5 s",
        bodies: ["sail", "wall"],
      },
      { frame: 6, until: 6, broken: 0, cause: "wall removed by sea", bodies: ["wall"] },
    ]);
  });

  it("fold what goes on frame after frame, and keep limits apart", () => {
    const limit = (frame: number) => ({ frame, kind: "limit", what: "spin", body: "bell" });
    const events = [
      ...[10, 11, 13, 16].map((f) => broke(f, { weight: "tower" })),
      broke(30, { weight: "tower" }),
      ...[5, 6, 7].map(limit),
    ] as TakeEvent[];
    expect(momentsOf(events).map((m) => [m.frame, m.until, m.broken])).toEqual([
      [10, 16, 4],
      [30, 30, 1],
    ]);
    expect(limitsOf(events)).toEqual([{ what: "spin", body: "bell", times: 3, frame: 5 }]);
  });
});
