import { expect, it } from "vitest";
import { ago } from "./time";

it("says how long ago something was", () => {
  const now = Date.parse("2026-05-04T12:00:00Z");
  const at = (minutes: number): string => ago(new Date(now - minutes * 60_000).toISOString(), now);
  expect([0.5, 1, 59, 60, 23 * 60, 24 * 60, 6 * 1440, 8 * 1440].map(at)).toEqual([
    "now",
    "1 min",
    "59 min",
    "1 h",
    "23 h",
    "1 d",
    "6 d",
    "26 Apr",
  ]);
});
