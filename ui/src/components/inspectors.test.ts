import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it, vi } from "vitest";
import type { Component } from "vue";
import { api, ApiError } from "../api/client";
import type { Body, Report, SharedFalloff, ShotDocument, Tie, WeightMap } from "../api/types";
import { newBody, newField, newGroup, newLayer, newMap, newTie } from "../lib/document";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import { choose, pick, press } from "../test.helpers";
import BodyList from "./BodyList.vue";
import CurvePlot from "./CurvePlot.vue";
import FalloffInspector from "./FalloffInspector.vue";
import FieldInspector from "./FieldInspector.vue";
import FirstTour from "./FirstTour.vue";
import MapInspector from "./MapInspector.vue";
import MaterialSection from "./MaterialSection.vue";
import MeshState from "./MeshState.vue";
import TieInspector from "./TieInspector.vue";

const box = (name: string): Body => newBody(name, { kind: "box", size: [1, 2, 3], divisions: [1, 1, 1] }, 1);

function opened(more: Partial<ShotDocument> = {}): ReturnType<typeof useShot> {
  const shot = useShot();
  shot.document = {
    name: "s",
    bodies: [box("door"), box("frame")],
    groups: [],
    ties: [],
    fields: [],
    falloffs: [],
    maps: [],
    timing: { fps: 24, frames: 48 },
    ...more,
  } as unknown as ShotDocument;
  return shot;
}

/** A component over one thing of the document, given anew after every edit as its parent does. */
function over(component: Component, prop: string, find: (d: ShotDocument) => unknown, more = {}): VueWrapper {
  const shot = useShot();
  const it = mount(component, { props: { [prop]: find(shot.document!), ...more } });
  shot.$subscribe(() => {
    const found = find(shot.document!);
    if (found) void it.setProps({ [prop]: found });
  });
  return it;
}

async function type(it: VueWrapper, label: string, text: string): Promise<void> {
  const input = it.get(`input[aria-label="${label}"]`);
  await input.trigger("focus");
  await input.setValue(text);
  await input.trigger("keydown", { key: "Enter" });
}

beforeEach(() => {
  setActivePinia(createPinia());
  vi.restoreAllMocks();
  vi.spyOn(api, "save").mockRejectedValue(new ApiError(0, { message: "away" }));
});

describe("a tie", () => {
  const tie = (): Tie => useShot().ties[0]!;
  const shown = (kind: Tie["how"]["kind"] = "pin"): VueWrapper => {
    opened({ ties: [newTie(kind, "latch", "door", [0, 1, 0], "frame", [0, 3, 0])] });
    return over(TieInspector, "tie", (d) => d.ties[0]);
  };
  it("becomes another kind where it is; a string gets an end of its own and loses it again", async () => {
    const it = shown();
    await press(it, "string");
    expect(tie()).toMatchObject({ how: { kind: "string" }, point: [0, 1, 0], to_point: [0, 2, 0], to: "frame" });
    expect(it.text()).toContain("ends 1 m apart");
    await press(it, "as placed");
    await press(it, "own");
    expect((tie().how as { length: number }).length).toBe(1);
    await press(it, "weld");
    expect(tie()).toMatchObject({ how: { kind: "weld" }, to_point: null });
  });
  it("that is sewn is so everywhere near, about where it was placed, or along the side nearest to that", async () => {
    const it = shown("sewn");
    const vertices = new Float32Array([-1, 0, 0, 1, 0, 0, 1, 2, 0, -1, 2, 0]);
    vi.spyOn(usePieces(), "packedOf").mockReturnValue({ vertices } as never);
    const reach = (): { layers: { shape: { kind: string; center: number[]; core: unknown } }[] } | null =>
      (tie().how as unknown as { reach: never }).reach;
    await press(it, "a region");
    expect(reach()!.layers[0]!.shape).toMatchObject({ kind: "sphere", center: [0, 1, 0], core: 0.2 });
    await press(it, "an edge");
    expect(reach()!.layers[0]!.shape.kind).toBe("box");
    await type(it, "within", "0.2");
    expect((tie().how as { within: number }).within).toBe(0.2);
    await press(it, "all of it");
    expect(reach()).toBeNull();
  });
  it("of a kind it has already is left alone", async () => {
    const it = shown();
    const before = useShot().document;
    await press(it, "pin");
    expect(useShot().document).toBe(before);
  });
  it("turns within limits said in degrees and kept in radians", async () => {
    const it = shown("hinge");
    await press(it, "between");
    expect((tie().how as { limits: number[] }).limits).toEqual([-Math.PI / 4, Math.PI / 4]);
    await type(it, "most", "90");
    expect((tie().how as { limits: number[] }).limits[1]).toBeCloseTo(Math.PI / 2);
    await type(it, "least", "10");
    expect((tie().how as { limits: number[] }).limits[0]).toBeCloseTo(-Math.PI / 4);
  });
  it("gives way at a load or never, and says where it did", async () => {
    const it = shown();
    await press(it, "at a load");
    expect(tie().breaks).toBe(10);
    await type(it, "load", "2.5");
    expect(tie().breaks).toBe(2.5);
    await press(it, "never");
    expect(tie().breaks).toBeNull();
    useTakes().events = [{ kind: "tie_broken", tie: "latch", frame: 31, load: 12.3, strength: 10 }] as never;
    await it.vm.$nextTick();
    expect(it.get('[data-testid="tie-gave-way"]').text()).toBe("gave way at f 31: 12.3 kN of 10");
  });
  it("joins a body to another or to the world, never to itself", async () => {
    const it = shown();
    const shut = (label: string): boolean[] =>
      ((pick(it, label).props() as Record<string, unknown>).options as unknown[][]).map((o) => o[3] === true);
    expect([shut("to"), shut("body")]).toEqual([
      [false, true, false],
      [false, true],
    ]);
    await choose(it, "to", "");
    expect(tie().to).toBeNull();
    expect(it.text()).not.toContain("they touch");
  });
  it("is renamed and deleted as an edit, and what is chosen follows", async () => {
    const it = shown();
    const view = useView();
    await it.get("span.name").trigger("dblclick");
    await it.get(".title input").setValue("bolt");
    await it.get(".title input").trigger("keydown", { key: "Enter" });
    expect([tie().name, view.selection]).toEqual(["bolt", { kind: "tie", name: "bolt" }]);
    await press(it, "Delete bolt");
    expect([useShot().ties, view.selection]).toEqual([[], null]);
  });
});

describe("a map", () => {
  const map = (): WeightMap => useShot().document!.maps[0] as WeightMap;
  const spot = { name: "spot", layers: [newLayer([0, 1, 0], 2)], strength: 0.5, limits: [0, 0.8], channels: [] };
  const shown = (use: string | null = null): VueWrapper => {
    opened({ maps: [newMap("wet", use, [0, 0, 0], 1)], falloffs: [spot] as unknown as SharedFalloff[] });
    return over(MapInspector, "map", (d) => d.maps[0]);
  };
  it("says on how many pieces it is, once that is known", async () => {
    const it = shown();
    expect(it.get('[data-testid="map-figures"]').text()).toContain("not worked out");
    useSurvey().result = { maps: { wet: { values: [0, 0.5, 1, 0.5], tint: [] } } } as never;
    await it.vm.$nextTick();
    expect(it.get('[data-testid="map-figures"]').text()).toBe("on 3 of 4 pieces · mean 0.5");
  });
  it("takes a shared falloff, and its layers for itself when it lets go of it", async () => {
    const it = shown();
    await choose(it, "falloff", "spot");
    expect(map().reach).toMatchObject({ use: "spot", layers: [] });
    await choose(it, "falloff", "");
    expect(map().reach).toMatchObject({ use: null, strength: 0.5, limits: [0, 0.8] });
    expect(map().reach.layers).toEqual(spot.layers);
    map().reach.layers![0]!.low = 0.3;
    expect(spot.layers[0]!.low).toBe(0);
  });
  it("is of all things, of some, and of all again", async () => {
    const it = shown();
    await press(it, "frame");
    expect(map().targets).toEqual(["door"]);
    await press(it, "frame");
    expect(map().targets).toBe("all");
  });
  it("has one of the ramps", async () => {
    const it = shown();
    await it.get('[data-testid="ramp-tide"]').trigger("click");
    expect(map().ramp).toBe("tide");
    expect(it.get('[data-testid="ramp-tide"]').attributes("aria-pressed")).toBe("true");
  });
});

describe("a shared falloff", () => {
  it("says who uses it", async () => {
    const push = newField("push", "shove", [0, 0, 0], 1);
    push.reach = { layers: [], use: "spot", strength: 1, limits: [0, 1] };
    const spot = { name: "spot", layers: [newLayer([0, 1, 0], 2)], strength: 1, limits: [0, 1], channels: [] };
    opened({ fields: [push], falloffs: [spot] as unknown as SharedFalloff[] });
    const it = over(FalloffInspector, "falloff", (d) => d.falloffs[0]);
    expect(it.text()).toContain("shove");
  });
});

describe("the state of a mesh", () => {
  const defect = (kind: string, mends: string[] = []): Report["defects"][number] =>
    ({ kind, count: 1, sentence: `${kind} somewhere`, near: [0, 0, 0], marks: [[0, 0, 0, 1, 0, 0]], mends }) as never;
  async function shown(defects: Report["defects"]): Promise<VueWrapper> {
    vi.spyOn(api, "report").mockResolvedValue({
      triangles: 12,
      size: [1, 2, 3],
      defects,
      steps: ["3 holes closed"],
    } as unknown as Report);
    opened();
    const it = over(MeshState, "body", (d) => d.bodies[0], { name: "door" });
    await flushPromises();
    return it;
  }
  const steps = (): string[] => useShot().bodies[0]!.steps.map((s) => s.kind);
  it("is closed and clean, in its true size", async () => {
    const it = await shown([]);
    expect(it.text()).toContain("Closed and clean: a solid.");
    expect(it.text()).toContain("1 × 2 × 3 m");
  });
  it("shows the gravest defect at once and another on request", async () => {
    const it = await shown([defect("shells"), defect("open", ["fill"])]);
    const [shells, open] = it.findAll('[data-testid="defect"]');
    expect([shells!.classes("shown"), open!.classes("shown"), open!.classes("grave")]).toEqual([false, true, true]);
    expect(useView().marks).toEqual([[0, 0, 0, 1, 0, 0]]);
    await open!.get("button").trigger("click");
    expect(useView().marks).toEqual([]);
    await shells!.get("button").trigger("click");
    expect(it.findAll('[data-testid="defect"]')[0]!.classes("shown")).toBe(true);
  });
  it("offers the steps that mend it, each an edit of its own, and takes them back", async () => {
    const it = await shown([defect("open", ["weld", "fill"])]);
    await it.get('[data-testid="mend-fill"]').trigger("click");
    await it.get('[data-testid="step-decimate"]').trigger("click");
    expect(steps()).toEqual(["fill", "decimate"]);
    await type(it, "keep", "0.25");
    expect(useShot().bodies[0]!.steps[1]).toEqual({ kind: "decimate", keep: 0.25 });
    await it.get('[data-hint="Take back fill holes"]').trigger("click");
    expect(steps()).toEqual(["decimate"]);
  });
  it("shows the mesh before and after its steps, and lets go of the pictures", async () => {
    const asked = vi.spyOn(api, "picture").mockImplementation(async (b) => `blob:${b.steps.length}`);
    const revoked = vi.spyOn(URL, "revokeObjectURL").mockReturnValue(undefined);
    const it = await shown([defect("open", ["fill"])]);
    expect(it.find('[data-testid="before-after"]').exists()).toBe(false);
    await it.get('[data-testid="mend-fill"]').trigger("click");
    await flushPromises();
    expect(it.findAll('[data-testid="before-after"] img').map((i) => i.attributes("src"))).toEqual([
      "blob:0",
      "blob:1",
    ]);
    expect(asked).toHaveBeenCalledTimes(2);
    await it.get('[data-hint="Take back fill holes"]').trigger("click");
    await flushPromises();
    expect(it.find('[data-testid="before-after"]').exists()).toBe(false);
    expect(revoked.mock.calls.flat()).toEqual(["blob:0", "blob:1"]);
  });
  it("is mended as one edit by the steps that are found, and each says what it did", async () => {
    vi.spyOn(api, "mend").mockResolvedValueOnce({ steps: [{ kind: "fill" }, { kind: "unify" }] });
    const it = await shown([defect("open", ["fill"])]);
    await it.get('[data-testid="mend"]').trigger("click");
    await flushPromises();
    expect(steps()).toEqual(["fill", "unify"]);
    expect(it.findAll('[data-testid="step-did"]').map((p) => p.text())).toEqual(["3 holes closed"]);
    vi.spyOn(api, "mend").mockResolvedValueOnce({ steps: null });
    await it.get('[data-testid="mend"]').trigger("click");
    await flushPromises();
    expect(it.get('[role="alert"]').text()).toContain("No way of mending");
  });
  it("has nothing to mend where all that is found is told only", async () => {
    const it = await shown([defect("crossing"), defect("shells")]);
    expect(it.find('[data-testid="mend"]').exists()).toBe(false);
  });
  it("makes a scaled size the true one: a plain box's own, another mesh's by a step", async () => {
    const it = await shown([]);
    expect(it.find('[data-testid="apply-scale"]').exists()).toBe(false);
    useShot().editBody("door", "scale", (b) => (b.place.scale = [2, 1, 1]));
    await flushPromises();
    await it.get('[data-testid="apply-scale"]').trigger("click");
    expect(useShot().bodies[0]!.shape).toMatchObject({ size: [2, 2, 3] });
    expect([steps(), useShot().bodies[0]!.place.scale]).toEqual([[], [1, 1, 1]]);
    useShot().editBody("door", "scale", (b) => {
      b.steps.push({ kind: "subdivide", times: 1 });
      b.place.scale = [1, 3, 1];
    });
    await flushPromises();
    await it.get('[data-testid="apply-scale"]').trigger("click");
    expect(useShot().bodies[0]!.steps[1]).toEqual({ kind: "scale", by: [1, 3, 1] });
  });
  it("says why it is not known", async () => {
    vi.spyOn(api, "report").mockRejectedValue(new ApiError(422, { message: "the file is not there" }));
    opened();
    const it = over(MeshState, "body", (d) => d.bodies[0], { name: "door" });
    await flushPromises();
    expect(it.get('[role="alert"]').text()).toBe("the file is not there");
  });
});

describe("the material of a body", () => {
  const preset = (name: string, density: number) => ({
    name,
    material: { ...box("x").material, density, friction: 0.9 },
    bonds: { strength: 777, unit: "kN" },
  });
  async function shown(): Promise<VueWrapper> {
    vi.spyOn(api, "materials").mockResolvedValue({ presets: [preset("granite", 2700)], saved: [] } as never);
    const shot = opened();
    shot.editBody("door", "bonds", (b) => (b.bonds = { strength: 1, unit: "kN/m2", cut: [[0, 1]] } as never));
    const it = over(MaterialSection, "body", (d) => d.bodies[0], { name: "door" });
    await flushPromises();
    return it;
  }
  it("comes from a preset as a whole, with the strength of its bonds, and what is cut stays cut", async () => {
    const it = await shown();
    await choose(it, "made of", "granite");
    const { material, bonds } = useShot().bodies[0]!;
    expect(material).toMatchObject({ preset: "granite", density: 2700, friction: 0.9, mass: null });
    expect(bonds).toMatchObject({ strength: 777, unit: "kN", cut: [[0, 1]] });
  });
  it("is given by its mass as well as by its density, the one following from the other", async () => {
    const it = await shown();
    usePieces().built.set("door", { text: "", figures: { mass: 1234.56, density: 205.76 } as never });
    await press(it, "total mass");
    expect(useShot().bodies[0]!.material.mass).toBe(1235);
    await press(it, "density");
    expect(useShot().bodies[0]!.material).toMatchObject({ mass: null, density: 205.8 });
  });
  it("of what deforms has friction, which can be keyed, and neither bounces nor rolls", async () => {
    const it = await shown();
    const keys = (): string[] =>
      it.findAll('[data-hint^="Key "]').map((k) => k.attributes("data-hint")!.split(" ")[1]!);
    expect(keys()).toEqual(["friction", "bounce", "rolling"]);
    useShot().editBody("door", "matter", (b) => (b.matter = { kind: "soft" } as never));
    await flushPromises();
    expect(keys()).toEqual(["friction"]);
    await it.get('[data-hint^="Key friction"]').trigger("click");
    expect(it.emitted("key")![0]).toEqual(["material.friction", useShot().bodies[0]!.material.friction]);
  });
  it("says what keeps the presets away", async () => {
    vi.spyOn(api, "materials").mockRejectedValue(new ApiError(0, { message: "the server is away" }));
    opened();
    const it = over(MaterialSection, "body", (d) => d.bodies[0], { name: "door" });
    await flushPromises();
    expect(it.text()).toContain("the server is away");
  });
});

describe("keys of a field", () => {
  it("are set on the three numbers of a vector together, and taken out together", async () => {
    const shot = opened({ fields: [newField("push", "push", [1, 2, 3], 1)] } as never);
    const it = over(FieldInspector, "field", (d) => d.fields[0]);
    const centre = (): number[] =>
      (shot.fields[0]!.channels ?? []).filter((c) => c.of.includes("center")).map((c) => c.keys[0]!.value);
    await it.get('[data-hint^="Key centre"]').trigger("click");
    await flushPromises();
    expect(centre()).toEqual([1, 2, 3]);
    await it.get('[data-hint^="Key centre"]').trigger("click");
    await flushPromises();
    expect(centre()).toEqual([]);
  });
});

describe("the large plot of a channel", () => {
  const key = (time: number, value: number, how: string): object => ({ time, value, how, curve: [0.4, 0, 0.6, 1] });
  const channel = { of: "effect.speed", keys: [key(0, 10, "bezier"), key(2, 30, "smooth")] };
  it("has numbers on both axes, and handles at what goes on by a curve", async () => {
    opened();
    const it = mount(CurvePlot, { props: { channel: channel as never, color: "red", large: true } });
    const numbers = it.findAll(".mark text").map((t) => t.text());
    expect(numbers).toEqual(expect.arrayContaining(["0 s", "1 s", "2 s", "10", "20", "30"]));
    expect(it.findAll('[data-testid^="pull-"]')).toHaveLength(2);
    const small = mount(CurvePlot, { props: { channel: channel as never, color: "red" } });
    expect(small.findAll('[data-testid^="pull-"]')).toHaveLength(0);
  });
  it("takes a handle where it is pulled, as shares of the way to the next key", async () => {
    opened();
    const it = mount(CurvePlot, {
      props: { channel: channel as never, color: "red", large: true },
      attachTo: document.body,
    });
    const svg = it.get("svg").element;
    vi.spyOn(svg, "getBoundingClientRect").mockReturnValue({ left: 0, top: 0, width: 880, height: 380 } as DOMRect);
    const at = (time: number, value: number): { clientX: number; clientY: number } => ({
      clientX: 56 + (time / 2) * (880 - 56),
      clientY: 380 - 22 - 4 - ((value - 7) / 26) * (380 - 22 - 8), // the axis goes from 7 to 33
    });
    await it.get('[data-testid="pull-0-0"]').trigger("pointerdown", { ...at(0.8, 10), pointerId: 1, button: 0 });
    await it.get('[data-testid="pull-0-0"]').trigger("pointermove", at(1, 25));
    await it.get('[data-testid="pull-0-0"]').trigger("pointerup");
    const sent = it.emitted<[{ keys: { curve: number[] }[] }]>("change")!.at(-1)![0].keys[0]!.curve;
    expect(sent.slice(0, 2)).toEqual([expect.closeTo(0.5, 2), expect.closeTo(0.75, 2)]);
    expect(sent.slice(2)).toEqual([0.6, 1]);
    it.unmount();
  });
});

describe("the walk round the screen", () => {
  it("is offered once, and not again when it was put off", async () => {
    const it = mount(FirstTour);
    expect(it.find('[data-testid="offer-tour"]').exists()).toBe(true);
    await press(it, "not now");
    expect(it.find('[data-testid="offer-tour"]').exists()).toBe(false);
    expect(mount(FirstTour).find('[data-testid="offer-tour"]').exists()).toBe(false);
  });
});

describe("the list of bodies", () => {
  it("opens a group into its members, and brings one of them into view", async () => {
    const group = newGroup("posts", box("posts"), "line", [1, 1, 1], { body: null, at: [0, 0, 0], size: null });
    opened({ groups: [group] } as never);
    usePieces().members.set("posts", { position: new Float32Array([0, 1, 2, 3, 4, 5]) } as never);
    const it = mount(BodyList, { props: { figure: () => "" } });
    expect(it.findAll(".member")).toHaveLength(0);
    await it.get('[data-testid="members-posts"]').trigger("click");
    expect(it.findAll(".member").map((m) => m.text())).toEqual(["10, 1, 2 m", "23, 4, 5 m"]);
    await it.findAll(".member")[1]!.trigger("click");
    expect([useView().wanted, useView().thing]).toEqual([{ name: "posts", copy: 1 }, "posts"]);
    expect(it.find('[data-testid="members-door"]').exists()).toBe(false);
  });
});
