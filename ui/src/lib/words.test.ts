import { describe, expect, it } from "vitest";
import { CUES, EFFECTS, LAYERS, MATERIAL_SPECS, STAGGER, TRAVELS, type Spec } from "./specs";
import { say } from "./words";

const sources = import.meta.glob<string>("../**/*.vue", { query: "?raw", import: "default", eager: true });

describe("every word on the screen", () => {
  it("of effects, reaches, cues and travels has a sentence", () => {
    const all: (readonly [string, { specs: Spec[] }])[] = [
      ...[EFFECTS, LAYERS, CUES, TRAVELS].flatMap((of) => Object.entries(of)),
      ["material", { specs: MATERIAL_SPECS }] as const,
      ["stagger", { specs: STAGGER }] as const,
    ];
    const silent = all.flatMap(([kind, { specs }]) => specs.filter((s) => !s.hint).map((s) => `${kind} ${s.label}`));
    expect(silent).toEqual([]);
  });

  it("beside a control has one too", () => {
    const silent = Object.entries(sources).flatMap(([file, text]) =>
      [...text.matchAll(/<(NumberRow|SwitchRow|PickRow|ChoiceRow)\b([^]*?)\/>/g)]
        .filter(([, , own]) => !own!.includes("hint="))
        .map(([, kind, own]) => `${file} ${kind} ${/label="([^"]*)"/.exec(own!)?.[1]}`),
    );
    expect(silent).toEqual([]);
  });

  it("is the document's own sentence, and none is made up", () => {
    expect(say("Layer.opacity")).toContain("laid over");
    expect(() => say("Layer.colour")).toThrow("says nothing of Layer.colour");
  });
});
