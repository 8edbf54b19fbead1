import { expect, it } from "vitest";
import { proposedUnit } from "./fileUnit";

it("proposes the first unit that makes a thing neither a toy nor a town", () => {
  expect([0.02, 0.5, 12, 60, 216, 4000, 30_000, 1e9].map(proposedUnit)).toEqual([
    "m",
    "m",
    "m",
    "m",
    "cm",
    "cm",
    "mm",
    "m",
  ]);
});
