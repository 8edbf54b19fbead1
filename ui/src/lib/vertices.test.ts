import { expect, it } from "vitest";
import { numbersAt, weightLines } from "./vertices";

it("says what falloffs come to at a vertex, and nothing where nothing is weighed", () => {
  const weights = { "recall.0": [0, 0.5], recall: [0, 1.28], stiffness: [1, 2.9], pins: [1, 0] };
  expect(weightLines(weights, 1)).toEqual(["drawn back at 1.28 1/s", "stiffness × 2.9"]);
  expect(weightLines({}, 1)).toEqual([]);
  expect(weightLines(weights, 7)).toEqual([]);
});
it("says what a frame has of a vertex", () => {
  const arrays = { "state/flag": new Uint8Array([0, 2]), "value/heat/flag": new Float32Array([0, 0.25]) } as never;
  expect(numbersAt(arrays, "flag", 1, "heat")).toEqual(["vertex 1 · moving", "heat: 0.25"]);
  expect(numbersAt(arrays, "flag", 0, "")).toEqual(["vertex 0 · held"]);
  expect(numbersAt({} as never, "flag", 0, "heat")).toEqual(["vertex 0"]);
});
