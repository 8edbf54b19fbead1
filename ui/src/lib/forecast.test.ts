import { describe, expect, it } from "vitest";
import type { FieldItem } from "../api/types";
import { newField } from "./document";
import { notForeseen, through } from "./forecast";

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

describe("what flows through bonds", () => {
  const at = { body: "wall", bonds: 340, load: 34, strength: 50, over: 0, rule: "fail" as const };
  it("is borne, or breaks, or is only seen", () => {
    expect(through(at)).toBe("The worst of its 340 bonds bears it.");
    expect(through({ ...at, over: 12 })).toBe("12 of its 340 bonds bear more than they can: it breaks.");
    expect(through({ ...at, over: 1, rule: "on" })).toBe(
      "1 of its 340 bonds bears more than it can, but loads are only seen: it stays whole.",
    );
    expect(through({ ...at, over: 12, rule: "off" })).toContain("are off");
    expect(through({ ...at, bonds: 1 })).toBe("Its bond bears it.");
    expect(through({ ...at, bonds: 1, over: 1 })).toBe("Its bond bears more than it can: it breaks.");
    expect(through({ ...at, bonds: 0 })).toContain("a take shows it");
  });
});
