import { mount } from "@vue/test-utils";
import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it } from "vitest";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import RunFigures from "./RunFigures.vue";
import RunStrip from "./RunStrip.vue";
import TransportBar from "./TransportBar.vue";

const hint = { global: { directives: { hint: {} } } };

beforeEach(() => {
  setActivePinia(createPinia());
  useTakes().stats = {
    bonds_broken: [0, 4, 0, 1],
    moving: [0, 2, 8, 4],
    energy: [-10, -5, -10, -10],
    overlap: [0, 0.00123456, 0, 0],
  };
});

describe("what happened in a take", () => {
  it("is drawn frame by frame, the greatest at the top", () => {
    const strip = mount(RunStrip, { ...hint, props: { x: (frame: number) => 10 * frame, total: 8 } });
    const bars = strip.findAll("rect.broke");
    expect(bars.map((b) => [b.attributes("x"), b.attributes("height")])).toEqual([
      ["9", "34"],
      ["29", "19"],
    ]);
    expect(strip.get("path.moving").attributes("d")).toBe("M0.0 40.0L10.0 31.5L20.0 6.0L30.0 23.0");
    expect(strip.get("path.energy").attributes("d")).toBe("M0.0 40.0L10.0 6.0L20.0 40.0L30.0 40.0");
    expect(strip.find("path.stretch").exists()).toBe(false);
  });

  it("is counted up to the frame shown", async () => {
    const figures = mount(RunFigures, hint);
    expect(figures.text()).toContain("broken 0");
    useView().frame = 1;
    await figures.vm.$nextTick();
    expect(figures.text()).toContain("broken 4");
    expect(figures.text()).toContain("moving 2");
    expect(figures.get('[data-testid="overlap"]').text()).toBe("1.2 mm");
    expect(figures.text()).not.toContain("torn");
    useTakes().stats = {
      ...useTakes().stats,
      seams_opened: [0, 1, 1, 0],
      stretch: [0, 0.01, 0.02, 0],
      deforming: [1, 1, 3, 3],
    };
    useView().frame = 2;
    await figures.vm.$nextTick();
    expect(figures.get('[data-testid="torn"]').text()).toBe("2");
    expect(figures.get('[data-testid="stretch"]').text()).toBe("2 %");
    expect(figures.text()).toContain("moving 11"); // eight pieces, and three bodies that deform
  });
});

it("transport goes to the start, a frame on or back, and plays", async () => {
  const bar = mount(TransportBar, hint);
  const buttons = bar.findAll("button");
  for (const k of [0, 1, 2, 3]) await buttons[k]!.trigger("click");
  expect(bar.emitted()).toMatchObject({ seek: [[0]], step: [[-1], [1]], toggle: [[]] });
  await buttons[6]!.trigger("click");
  expect(useView().sheetOpen).toBe(false);
  expect(buttons[6]!.classes()).toContain("folded");
});
