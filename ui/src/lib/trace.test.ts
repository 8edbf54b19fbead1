import { expect, test } from "vitest";
import type { TakeEvent } from "../api/types";
import { eventWords, sourceWords, spanAt, storyOf, tracePath, type Traced } from "./trace";

const piece: Traced = { piece: 12, first: 10, body: "tower", thing: "tower" };
const event = (more: Partial<TakeEvent>): TakeEvent => ({ frame: 3, time: 0.125, kind: "bond_broken", ...more });

test.each<[Partial<TakeEvent>, string]>([
  [
    {
      pieces: [15, 12],
      load: 12.34,
      strength: 8,
      causes: [
        { field: "blow", load: 9, share: 0.75 },
        { weight: "tower", load: 3, share: 0.25 },
      ],
    },
    "blow 75 %, its own weight 25 %: piece 5 parted, 12.3 of 8 kN",
  ],
  [{ pieces: [12, 10], load: 1, strength: 1, causes: [{ impact: "ground", load: 1, share: 1 }] }, "hit by ground"],
  [{ kind: "tie_broken", tie: "hinge", load: 2, strength: 1.5 }, "hinge gave way, 2 of 1.5 kN"],
  [{ kind: "kill", field: "end", what: "freeze" }, "frozen by end"],
  [{ kind: "release", cause: { touch: "stone" } }, "let go, touched by stone"],
  [{ kind: "release", cause: { field: "gale" } }, "let go, reached by gale"],
  [{ kind: "release", cause: { cue: 1.25 } }, "let go, at 1.25 s"],
  [{ kind: "limit", what: "spin" }, "held back by the spin limit"],
  [{ kind: "impact", pieces: [12, 40], bodies: ["tower", "stone"], speed: 4.5 }, "met stone at 4.5 m/s"],
  [{ kind: "impact", pieces: [40, 12], bodies: ["stone", "tower"], speed: 4.5 }, "met stone at 4.5 m/s"],
  [{ kind: "impact", pieces: [14, 12], bodies: ["tower", "tower"], speed: 1 }, "met its own body at 1 m/s"],
])("an event of a piece is told in a line", (more, says) => {
  expect(eventWords(event(more), piece)).toContain(says);
});

test("hits on the same body one after the other are one line that says the fastest", () => {
  const hit = (frame: number, by: string, speed: number): TakeEvent =>
    event({ frame, kind: "impact", pieces: [12, 99], bodies: ["tower", by], speed });
  const story = storyOf(
    [hit(3, "floor", 2), hit(5, "floor", 4), hit(6, "floor", 1), hit(8, "stone", 3), hit(40, "stone", 1)],
    piece,
  );
  expect(story).toEqual([
    { first: 3, last: 6, words: "met floor 3 times, at 4 m/s at most" },
    { first: 8, last: 8, words: "met stone at 3 m/s" },
    { first: 40, last: 40, words: "met stone at 1 m/s" },
  ]);
});

test("a single source needs no share", () => {
  expect(sourceWords([{ motion: "tower", load: 2 }], "tower")).toBe("its own motion");
});

test("a line goes from edge to edge, and no higher than the box", () => {
  expect(tracePath([0, 0.5, 3], 1, 100, 40)).toBe("M0.0 40.0L50.0 20.0L100.0 0.0");
  expect(tracePath([1], 1, 100, 40)).toBe("M0.0 0.0");
});

test("a span of one frame is there to be seen", () => {
  expect(spanAt([50, 50], 100)).toEqual({ left: "50%", width: "max(2px, 1%)" });
  expect(spanAt([0, 24], 100)).toEqual({ left: "0%", width: "max(2px, 25%)" });
});
