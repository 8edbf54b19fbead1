import { enableAutoUnmount, flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { createPinia, setActivePinia } from "pinia";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { api, ApiError } from "../api/client";
import type { Body, ShotDocument, Survey } from "../api/types";
import { newBody, SHAPES } from "../lib/document";
import { changeMatter } from "../lib/matter";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { choose } from "../test.helpers";
import HoldsSection from "./HoldsSection.vue";
import MatterSection from "./MatterSection.vue";

const silk = {
  name: "silk",
  density: 500,
  friction: 0.3,
  source: "habotai of 45 g/m2",
  matter: { cloth: { weight: 0.045, stretch: 20 } },
  strength: { cloth: 8 },
};

function opened(change: (b: Body) => void = () => undefined): Body {
  const sheet = newBody("flag", SHAPES.sheet!(), 2);
  change(sheet);
  const crate = newBody("crate", SHAPES.box!(), 1);
  useShot().document = {
    name: "s",
    bodies: [sheet, crate],
    groups: [],
    ties: [],
    fields: [],
    falloffs: [],
    maps: [],
    gravity: [0, -9.81, 0],
    timing: { fps: 24, frames: 48 },
  } as unknown as ShotDocument;
  return sheet;
}
const flag = (): Body => useShot().bodies[0]!;

/** Mounted anew on the body after every edit, as its parent does. */
async function matter(): Promise<VueWrapper> {
  const it = mount(MatterSection, { props: { name: "flag", body: flag() } });
  useShot().$subscribe(() => void it.setProps({ body: flag() }));
  await flushPromises();
  return it;
}

enableAutoUnmount(afterEach);

beforeEach(() => {
  setActivePinia(createPinia());
  vi.spyOn(api, "save").mockRejectedValue(new ApiError(0, { message: "away" }));
  vi.spyOn(api, "materials").mockResolvedValue({ presets: [], saved: [], matters: [silk] } as never);
});

describe("what a body is made of", () => {
  it("is chosen by a word, and then has its numbers and presets", async () => {
    opened();
    const it = await matter();
    expect(it.find('[data-testid="matter-preset"]').exists()).toBe(false);
    await it.get('[data-testid="matter-cloth"] input').setValue(true);
    await flushPromises();
    expect(flag().matter).toMatchObject({ kind: "cloth", preset: "canvas" });
    expect(it.text()).toContain("weight");
    await choose(it, "made of", "silk");
    expect(flag().matter).toMatchObject({ preset: "silk", weight: 0.045, stretch: 20, shear: 5 });
    expect(flag().material.density).toBe(500);
  });
  it("is no preset any more when a number of it was changed", async () => {
    opened((b) => changeMatter(b, "cloth"));
    const it = await matter();
    const weight = it.get('input[aria-label="weight"]');
    await weight.trigger("focus");
    await weight.setValue("1.2");
    await weight.trigger("keydown", { key: "Enter" });
    expect(flag().matter).toMatchObject({ weight: 1.2, preset: null });
  });
  it("says what its numbers lead to, by the size it has", async () => {
    opened((b) => changeMatter(b, "cloth"));
    usePieces().built.set("flag", { text: "", figures: { size: [3, 0, 3], vertices: 625, mass: 3 } } as never);
    const it = await matter();
    expect(it.get('[data-testid="leads-to"]').text()).toContain("longer under its own weight");
    expect(it.text()).toContain("625 vertices");
  });
  it("is set without presets where these cannot be fetched", async () => {
    vi.spyOn(api, "materials").mockRejectedValue(new ApiError(503, { message: "busy" }));
    opened((b) => changeMatter(b, "cloth"));
    const it = await matter();
    expect(it.find('[data-testid="matter-preset"]').exists()).toBe(false);
    expect(it.find('input[aria-label="stretch"]').exists()).toBe(true);
  });
});

describe("what holds vertices", () => {
  function holds(): VueWrapper {
    const thing = () => ({ name: "flag", body: flag(), group: null });
    const it = mount(HoldsSection, { props: { thing: thing() } });
    useShot().$subscribe(() => void it.setProps({ thing: thing() }));
    return it;
  }
  const packed = { vertices: new Float32Array([-1, 0, -1, 1, 0, -1, 1, 0, 1, -1, 0, 1]) };
  it("is pinned at a side of where it stands, counted as the survey has it", async () => {
    opened((b) => changeMatter(b, "cloth"));
    vi.spyOn(usePieces(), "packedOf").mockReturnValue(packed as never);
    const it = holds();
    expect(it.text()).toContain("none held");
    await it.get('[data-testid="pin-left"]').trigger("click");
    const [pins] = flag().pins;
    expect(pins!.reach.layers![0]!.shape).toMatchObject({ kind: "box", center: [-1, 2, 0] });
    expect(pins!.to).toBeNull();
    useSurvey().result = { vertices: { flag: { count: 625, pinned: [0, 1], reach: [] } } } as unknown as Survey;
    await flushPromises();
    expect(it.text()).toContain("2 of 625 vertices");
  });
  it("rides on a rigid body, and on no other", async () => {
    opened((b) => changeMatter(b, "cloth"));
    const it = holds();
    await it.get('[data-testid="pin-corners"]').trigger("click");
    expect(flag().pins[0]!.reach.layers).toHaveLength(4);
    await choose(it, "to", "crate");
    expect(flag().pins[0]!.to).toBe("crate");
    await it.get('[data-hint="Let them go"]').trigger("click");
    expect(flag().pins).toEqual([]);
  });
  it("is drawn back to its place, and differs in places", async () => {
    opened((b) => changeMatter(b, "cloth"));
    const it = holds();
    await it.get('[data-testid="add-recall"]').trigger("click");
    await it.get('[data-testid="add-weight"]').trigger("click");
    expect(flag().recall[0]).toMatchObject({ rate: 2 });
    expect(flag().weights[0]).toMatchObject({ of: "stiffness", low: 1, high: 4 });
  });
});
