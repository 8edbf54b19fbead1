import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { api, ApiError } from "../api/client";
import type { Body, ShotDocument, Survey } from "../api/types";
import { newBody, SHAPES } from "../lib/document";
import { changeMatter } from "../lib/matter";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useView } from "../stores/view";
import { choose, press } from "../test.helpers";
import { useSettling } from "../composables/useSettling";
import { blank, paintOn, strokesOf } from "../lib/strokes";
import HoldsSection from "./HoldsSection.vue";
import SeamsSection from "./SeamsSection.vue";
import OpeningSection from "./OpeningSection.vue";
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
    useSurvey().result = {
      vertices: { flag: { count: 625, pinned: [0, 1], reach: [], pressure: [] } },
    } as unknown as Survey;
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
    expect(it.get('[data-testid="pins"]').text()).toContain("hold crate, and it them");
    const changed = JSON.parse(JSON.stringify(useShot().document)) as ShotDocument;
    changed.bodies[1]!.role = "animated";
    useShot().document = changed;
    await flushPromises();
    expect(it.get('[data-testid="pins"]').text()).toContain("ride on crate");
    await it.get('[data-hint="Let them go"]').trigger("click");
    expect(flag().pins).toEqual([]);
  });
  it("is drawn back along with a body that takes its shape along", async () => {
    opened((b) => changeMatter(b, "cloth"));
    const it = holds();
    await it.get('[data-testid="add-recall"]').trigger("click");
    await choose(it, "to", "crate");
    expect(flag().recall[0]!.to).toBe("crate");
    expect(it.get('[data-testid="recall"]').text()).toContain("along with crate");
    await choose(it, "to", "");
    expect(flag().recall[0]!.to).toBeNull();
  });
  it("is drawn back to its place, and differs in places", async () => {
    opened((b) => changeMatter(b, "cloth"));
    const it = holds();
    await it.get('[data-testid="add-recall"]').trigger("click");
    await it.get('[data-testid="add-weight"]').trigger("click");
    expect(flag().recall[0]).toMatchObject({ rate: 2 });
    expect(flag().weights[0]).toMatchObject({ of: "stiffness", low: 1, high: 4 });
  });
  it("is shown and painted: the brush is taken at once, and put down again", async () => {
    opened((b) => changeMatter(b, "cloth"));
    const [it, view] = [holds(), useView()];
    await it.get('[data-testid="pin-painted"]').trigger("click");
    expect(flag().pins[0]!.reach.layers![0]!.shape).toMatchObject({ kind: "painted", center: [0, 2, 0], strokes: [] });
    expect([view.painting, view.weighing]).toEqual([
      { part: "pins", k: 0 },
      { part: "pins", k: 0 },
    ]);
    expect(it.find('[data-testid="brush-panel"]').exists()).toBe(true);
    await press(it, "remove");
    expect(view.brush.how).toBe("remove");
    await it.get('[data-testid="paint-pins-0"]').trigger("click");
    expect([view.painting, view.weighing]).toEqual([null, { part: "pins", k: 0 }]);
    await it.get('[data-testid="show-pins-0"]').trigger("click");
    expect(view.weighing).toBeNull();
  });
  it("is not painted on where others use the same falloff", async () => {
    opened((b) => {
      changeMatter(b, "cloth");
      b.recall = [{ reach: { layers: [], use: "shared", strength: 1, limits: [0, 1] }, rate: 2 }] as never;
    });
    const it = holds();
    expect(it.get('[data-testid="paint-recall-0"]').attributes("disabled")).toBeDefined();
    expect(it.get('[data-testid="show-recall-0"]').attributes("disabled")).toBeUndefined();
  });
  it("has its strokes counted, and wiped off in one edit", async () => {
    opened((b) => {
      changeMatter(b, "cloth");
      const reach = blank(b.place);
      for (const how of ["add", "remove"] as const)
        paintOn(reach, { points: [[0, 0, 0]], radius: 1, soft: 0, strength: 1, how, mirror: null }, b.place);
      b.pins = [{ reach, cut: 0.5, to: null }] as never;
    });
    const it = holds();
    expect(it.text()).toContain("2 strokes");
    await it.get('[data-testid="wipe"]').trigger("click");
    expect(strokesOf(flag().pins[0]!.reach)).toBe(0);
    expect(it.text()).not.toContain("strokes");
  });
  it("has each of its layers edited by itself", async () => {
    opened((b) => changeMatter(b, "cloth"));
    vi.spyOn(usePieces(), "packedOf").mockReturnValue(packed as never);
    const it = holds();
    await it.get('[data-testid="pin-corners"]').trigger("click");
    await choose(it, "layer", 2);
    await it.get('input[aria-label="edge width"]').setValue("0.5");
    await it.get('input[aria-label="edge width"]').trigger("keydown", { key: "Enter" });
    expect(flag().pins[0]!.reach.layers!.map((l) => (l.shape as { edge: number }).edge)).toEqual([0, 0, 0.5, 0]);
  });
});

describe("the shape it opens in", () => {
  const said = (more: object): never =>
    ({
      key: "k",
      share: 0.5,
      left: 2,
      openings: null,
      loads: {},
      ties: {},
      seconds: null,
      rests: false,
      ...more,
    }) as never;
  it("is what it settled in, told and undone as one edit", async () => {
    opened((b) => changeMatter(b, "cloth"));
    vi.spyOn(api, "settle").mockResolvedValue(said({}));
    vi.spyOn(api, "settling").mockResolvedValue(
      said({
        openings: { flag: { points: "AAAA", drawn: null } },
        ties: { knot: [4, 5, 6] },
        seconds: 3.5,
        rests: true,
      }),
    );
    const ties = ["knot", "other"].map((name) => ({ name, point: [0, 0, 0] }));
    useShot().edit("ties", (d) => (d.ties = ties as never));
    const { settle, now } = useSettling();
    const going = settle("flag", true);
    await flushPromises();
    expect(now.value).toMatchObject({ name: "flag", key: "k", share: 0.5 });
    expect(await settle("flag", false)).toBe(""); // one at a time
    expect(await going).toBe("flag opens as it came to rest after 3.5 s.");
    expect(flag().opening).toEqual({ points: "AAAA", drawn: null });
    expect(useShot().ties.map((t) => t.point)).toEqual([[4, 5, 6], [0, 0, 0]]); // oxfmt-ignore
    expect(now.value).toBeNull();
    const it = mount(OpeningSection, { props: { thing: { name: "flag", body: flag(), group: null } } });
    expect(it.text()).toContain("settled");
    await it.get('[data-testid="as-made"]').trigger("click");
    expect(flag().opening).toBeNull();
  });
  it("stays what it was where settling is stopped, and that is said", async () => {
    opened((b) => changeMatter(b, "cloth"));
    vi.spyOn(api, "settle").mockResolvedValue(said({}));
    const stop = vi.spyOn(api, "cancelSettling").mockResolvedValue({ ok: true });
    vi.spyOn(api, "settling").mockRejectedValue(
      new ApiError(422, { message: "settling was stopped; everything opens as before" }),
    );
    const { settle, cancel } = useSettling();
    const going = settle("flag", false);
    await flushPromises();
    await cancel();
    expect(stop).toHaveBeenCalledWith("k");
    expect(await going).toContain("everything opens as before");
    expect(flag().opening).toBeNull();
  });
});

describe("seams", () => {
  const table = {
    piece: new Int32Array([0, 1, 1, 2]),
    strength: new Float32Array([4, 1]),
    size: new Float32Array([2, 1]),
    line: new Int32Array([0, 1, 1, 2]),
    of: new Int32Array([0, 1]),
  };
  async function sewn(): Promise<VueWrapper> {
    opened((b) => {
      changeMatter(b, "cloth");
      b.pattern = { kind: "cells", count: 3 } as never;
      b.bonds = { strength: 2, unit: "kN/m", tiers: [], by_size: 0, by_reach: null, cut: [] };
    });
    vi.spyOn(api, "seams").mockImplementation(async () => {
      const strength = table.strength.map((s, q) => (q === 1 && flag().bonds!.cut!.length ? 0 : s));
      return { ...table, strength } as never;
    });
    const thing = () => ({ name: "flag", body: flag(), group: null });
    const it = mount(SeamsSection, { props: { thing: thing() } });
    useShot().$subscribe(() => void it.setProps({ thing: thing() }));
    await flushPromises();
    return it;
  }
  it("say what they hold beside what they bore at rest, and are cut and mended as they are picked", async () => {
    const [it, view] = [await sewn(), useView()];
    expect(it.text()).toContain("Click a seam");
    view.seams = [1];
    await flushPromises();
    expect(it.get('[data-testid="seam-picked"]').text()).toContain("between 1 and 2");
    usePieces().seamLoads.set("flag", [1, 1.5]);
    await flushPromises();
    expect(it.get('[data-testid="seam-picked"]').text()).toContain("bears at rest1.5 kN");
    expect(it.get('[data-testid="worst-seam"]').text()).toContain("1.5 × its strength");
    await it.get('[data-testid="cut-seams"]').trigger("click");
    await flushPromises();
    expect(flag().bonds!.cut).toEqual([[1, 2]]);
    expect(it.get('[data-testid="cut-seams"]').text()).toBe("Mend it");
    expect(it.text()).toContain("2, 1 cut");
    await it.get('[data-testid="mend-seams"]').trigger("click");
    await flushPromises();
    expect(flag().bonds!.cut).toEqual([]);
  });
  it("of several are told together; loads of another break are forgotten", async () => {
    usePieces().seamLoads.set("flag", [1, 2, 3]);
    const [it, view] = [await sewn(), useView()];
    expect(usePieces().seamLoads.has("flag")).toBe(false);
    view.seams = [0, 1];
    await flushPromises();
    expect(it.get('[data-testid="seam-picked"]').text()).toContain("2 seams3 m");
    expect(it.get('[data-testid="seam-picked"]').text()).toContain("5 kN");
    expect(it.get('[data-testid="cut-seams"]').text()).toBe("Cut the 2");
  });
});
