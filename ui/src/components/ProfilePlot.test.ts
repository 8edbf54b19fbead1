import { mount, type VueWrapper } from "@vue/test-utils";
import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it } from "vitest";
import type { Layer } from "../api/types";
import ProfilePlot from "./ProfilePlot.vue";

type Points = [number, number][];

function plot(points: Points): { it: VueWrapper; said: Points[] } {
  const said: Points[] = [];
  const layer = { shape: { kind: "sphere", core: 1, edge: 2 }, profile: points } as unknown as Layer;
  const it = mount(ProfilePlot, {
    props: {
      layer,
      color: "red",
      onPoints: (p: Points) => {
        said.push(p);
        void it.setProps({ layer: { ...layer, profile: p } as never });
      },
    },
  }) as unknown as VueWrapper;
  return { it, said };
}

async function type(it: VueWrapper, label: string, text: string): Promise<void> {
  const input = it.get(`input[aria-label="${label}"]`);
  await input.setValue(text);
  await input.trigger("keydown", { key: "Enter" });
}

beforeEach(() => setActivePinia(createPinia()));

describe("an own profile", () => {
  const start: Points = [
    [0, 1],
    [0.5, 0.5],
    [1, 0],
  ];
  it("a point's numbers are typed after a double-click, between its neighbours", async () => {
    const { it, said } = plot(start);
    await it.findAll(".knob")[1]!.trigger("dblclick");
    await type(it, "place of the point", "0.25");
    await type(it, "value of the point", "80 %");
    expect(said.at(-1)).toEqual([
      [0, 1],
      [0.25, 0.8],
      [1, 0],
    ]);
    await type(it, "place of the point", "1");
    expect(said.at(-1)![1]).toEqual([0.99, 0.8]);
  });
  it("the ends keep their place, and only points between them can be taken out", async () => {
    const { it, said } = plot(start);
    await it.findAll(".knob")[0]!.trigger("dblclick");
    await type(it, "place of the point", "0.3");
    expect(said.at(-1)?.[0] ?? start[0]).toEqual([0, 1]);
    expect(it.get('[data-hint="Take this point out"]').attributes("disabled")).toBeDefined();
    await it.findAll(".knob")[1]!.trigger("dblclick");
    await it.get('[data-hint="Take this point out"]').trigger("click");
    expect(said.at(-1)).toEqual([
      [0, 1],
      [1, 0],
    ]);
  });
});
