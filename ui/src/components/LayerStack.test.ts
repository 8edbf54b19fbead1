import { mount, type VueWrapper } from "@vue/test-utils";
import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it } from "vitest";
import type { Layer } from "../api/types";
import { newLayer } from "../lib/document";
import { useView } from "../stores/view";
import { choose } from "../test.helpers";
import LayerStack from "./LayerStack.vue";

type Stack = { layers?: Layer[]; strength?: number };

/** The component over a stack of its own, as its inspectors use it: what it asks for is done. */
function stackOf(count: number): { it: VueWrapper; stack: () => Stack; said: string[] } {
  let own: Stack = { layers: Array.from({ length: count }, () => newLayer([0, 0, 0], 1) as Layer) };
  const said: string[] = [];
  const it = mount(LayerStack, {
    props: {
      stack: own,
      color: "red",
      channels: undefined,
      base: "reach.",
      around: { center: [1, 2, 3] as [number, number, number], size: 2 },
      onEdit: (what: string, change: (s: Stack) => void) => {
        said.push(what);
        own = structuredClone(own);
        change(own);
        void it.setProps({ stack: own } as never);
      },
    },
  });
  return { it, stack: () => own, said };
}

beforeEach(() => setActivePinia(createPinia()));

describe("the layers of a falloff", () => {
  it("lays one more over the others where the chosen one is, and chooses it", async () => {
    const { it, stack, said } = stackOf(1);
    await it.get('[data-testid="add-layer"]').trigger("click");
    await it.get('[data-testid="layer-noise"]').trigger("click");
    expect(said).toEqual(["add a layer"]);
    expect(stack().layers!.map((l) => l.shape.kind)).toEqual(["sphere", "noise"]);
    expect([stack().layers![1]!.blend, useView().layer]).toEqual(["max", 1]);
    expect(it.find(".kinds").exists()).toBe(false);
    expect(it.findAll(".layer").map((l) => l.text())).toEqual([
      expect.stringContaining("the greater"),
      expect.stringContaining("first"),
    ]);
  });
  it("moves the chosen layer and follows it, up to the top and down to the bottom", async () => {
    const { it, stack } = stackOf(1);
    for (const kind of ["noise", "box"]) {
      await it.get('[data-testid="add-layer"]').trigger("click");
      await it.get(`[data-testid="layer-${kind}"]`).trigger("click");
    }
    const press = (hint: string) => it.get(`[data-hint="${hint}"]`).trigger("click");
    await press("Lay it under the one before");
    expect(stack().layers!.map((l) => l.shape.kind)).toEqual(["sphere", "box", "noise"]);
    expect(useView().layer).toBe(1);
    await press("Lay it under the one before");
    expect(it.get('[data-hint="Lay it under the one before"]').attributes("disabled")).toBeDefined();
    await press("Take it out");
    expect(stack().layers!.map((l) => l.shape.kind)).toEqual(["sphere", "noise"]);
  });
  it("keeps the last layer", () => {
    expect(stackOf(1).it.find('[data-hint="Take it out"]').exists()).toBe(false);
  });
  it("gives a new shape where the old one was, and a profile of own points that begins and ends right", async () => {
    const { it, stack } = stackOf(1);
    await choose(it, "layer", "box");
    expect(stack().layers![0]!.shape).toMatchObject({ kind: "box", center: [0, 0, 0] });
    await choose(it, "profile", "own");
    expect(stack().layers![0]!.profile).toEqual([
      [0, 1],
      [0.5, 0.5],
      [1, 0],
    ]);
  });
});
