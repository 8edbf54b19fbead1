import { mount } from "@vue/test-utils";
import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { api } from "../api/client";
import type { ShotDocument, Survey } from "../api/types";
import { newBody, newField } from "../lib/document";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import ReachGrid from "./ReachGrid.vue";

const box = (name: string) => newBody(name, { kind: "box", size: [1, 1, 1], divisions: [1, 1, 1] }, 0);

beforeEach(() => {
  setActivePinia(createPinia());
  const shot = useShot();
  shot.document = {
    name: "a",
    bodies: [box("wall"), box("floor")],
    groups: [],
    ties: [],
    maps: [],
    falloffs: [],
    fields: [newField("strain", "blow", [0, 0, 0], 1), newField("wind", "gale", [9, 0, 0], 1)],
    timing: { frames: 10, fps: 24 },
  } as unknown as ShotDocument;
  useSurvey().result = {
    crossings: [
      { field: "blow", body: "wall", pieces: 3, of: 4, bonds: 2, breaks: 1, targeted: true },
      { field: "blow", body: "floor", pieces: 0, of: 1, bonds: 0, breaks: 0, targeted: true },
      { field: "gale", body: "wall", pieces: 0, of: 4, bonds: 0, breaks: 0, targeted: true },
      { field: "gale", body: "floor", pieces: 0, of: 1, bonds: 0, breaks: 0, targeted: true },
    ],
    bodies: [],
    values: {},
    arrows: [],
    spread: [],
    maps: {},
    stands: {},
    findings: [{ code: "reaches-nothing", about: "gale", grave: "check", step: "drive", sentence: "", remedy: "" }],
  } as unknown as Survey;
  vi.spyOn(api, "save").mockReturnValue(new Promise(() => undefined));
});

describe("the reach grid", () => {
  it("says how many pieces each field reaches of each body", () => {
    const cells = mount(ReachGrid).findAll(".cell.figures");
    expect(cells.map((c) => c.text())).toEqual(["3", "0", "0", "0"]);
    expect(cells[0]!.attributes("data-hint")).toContain("3 of 4 pieces in reach");
    expect(cells.map((c) => c.classes("none"))).toEqual([false, false, true, true]);
  });
  it("switches a field off and on for a body", async () => {
    const grid = mount(ReachGrid);
    await grid.findAll(".cell")[1]!.trigger("click");
    const blow = () => useShot().fields[0]!;
    expect(blow().targets).toEqual(["wall"]);
    expect(grid.findAll(".cell")[1]!.text()).toBe("–");
    await grid.findAll(".cell")[1]!.trigger("click");
    expect(blow().targets).toBe("all");
  });
  it("switches all fields for one body, and a field for all or for one", async () => {
    const grid = mount(ReachGrid);
    const targets = () => useShot().fields.map((f) => f.targets);
    await grid.findAll(".col")[1]!.trigger("click");
    expect(targets()).toEqual([["wall"], ["wall"]]);
    await grid.findAll(".col")[1]!.trigger("click");
    expect(targets()).toEqual(["all", "all"]);
    const rows = () => grid.findAll(".cell:not(.figures)");
    await rows()[1]!.trigger("click");
    expect(targets()).toEqual(["all", ["wall"]]);
    await rows()[1]!.trigger("click");
    expect(targets()).toEqual(["all", "all"]);
  });
  it("offers what mends a field that reaches nothing", async () => {
    const grid = mount(ReachGrid);
    const notes = grid.findAll(".note");
    expect(notes.map((n) => n.text().split(" reaches")[0])).toEqual(["gale"]);
    await notes[0]!.findAll("button")[1]!.trigger("click");
    expect(useShot().fields[1]!.on).toBe(false);
    expect(grid.findAll(".note")).toHaveLength(0);
  });
});
