import { expect, it } from "vitest";
import type { FieldItem } from "../api/types";
import { newField } from "./document";
import { notForeseen } from "./forecast";

it("says what a strain does beside what is counted", () => {
  const strain = (more: Partial<FieldItem>, effect = {}): FieldItem => {
    const field = { ...newField("strain", "blow", [0, 0, 0], 1), ...more } as FieldItem;
    Object.assign(field.effect, effect);
    return field;
  };
  expect(notForeseen(strain({}))).toBe("What falls afterwards breaks on its own.");
  expect(notForeseen(strain({}, { burst: 8 }))).toContain("the throw and the fall");
  expect(notForeseen(strain({ cue: { kind: "impact", above: 1 } as never }))).toContain("one hit");
  expect(notForeseen(strain({ travel: { kind: "path" } as never }))).toContain("where it is now");
  expect(notForeseen(newField("wind", "gale", [0, 0, 0], 1))).toBe("");
});
