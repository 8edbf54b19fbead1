import { describe, expect, it } from "vitest";
import { lengthOf, segmentsFor, slackened } from "./line";
import type { Vec } from "./rotation";

describe("a line through points", () => {
  const bent: Vec[] = [
    [0, 0, 0],
    [3, 0, 0],
    [3, 4, 0],
  ];
  it("is as long as its parts, and divided by that within bounds", () => {
    expect(lengthOf(bent)).toBe(7);
    expect([
      segmentsFor(bent),
      segmentsFor(bent.slice(0, 1)),
      segmentsFor([
        [0, 0, 0],
        [90, 0, 0],
      ]),
    ]).toEqual([140, 8, 400]);
  });
  it.each([0.01, 0.1, 0.9])("with slack is longer by %d, and hangs between its ends", (share) => {
    const slack = slackened(
      [
        [0, 5, 0],
        [4, 5, 0],
      ],
      share,
    );
    expect(lengthOf(slack) / 4 - 1).toBeCloseTo(share, 3);
    expect([slack[0], slack.at(-1)]).toEqual([
      [0, 5, 0],
      [4, 5, 0],
    ]);
    expect(Math.min(...slack.map((p) => p[1]))).toBe(slack[8]![1]);
  });
  it("without slack is straight", () => {
    expect(
      slackened(
        [
          [0, 5, 0],
          [1, 5, 0],
          [4, 5, 0],
        ],
        0,
      ),
    ).toEqual([
      [0, 5, 0],
      [4, 5, 0],
    ]);
  });
});
