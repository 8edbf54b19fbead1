import { mount } from "@vue/test-utils";
import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { computed, defineComponent, h, nextTick, ref, shallowRef } from "vue";
import type { Packed } from "../api/packed";
import { api, ApiError } from "../api/client";
import type { Body, Group, ShotDocument, Take } from "../api/types";
import { newBody, newField, newGroup, newTie } from "../lib/document";
import { useShot } from "../stores/shot";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import type { Moved, Stage } from "../viewport/Stage";
import { useCommands } from "./useCommands";
import { useHandles } from "./useHandles";
import { usePicking } from "./usePicking";
import { usePlayback } from "./usePlayback";
import { copiesOf, type Shown } from "./useShown";
import { useTieMarks } from "./useTieMarks";

const box = (name: string): Body => newBody(name, { kind: "box", size: [1, 1, 1], divisions: [1, 1, 1] }, 0);

function opened(more: Partial<ShotDocument> = {}): void {
  useShot().document = {
    name: "s",
    bodies: [box("wall"), box("post")],
    groups: [],
    ties: [],
    fields: [],
    falloffs: [],
    maps: [],
    timing: { fps: 10, frames: 20 },
    ground: { height: 0 },
    ...more,
  } as unknown as ShotDocument;
}

/** What a composable gives, in a component that can be left. */
function inComponent<T>(use: () => T): { got: T; leave: () => void } {
  let got!: T;
  const it = mount(
    defineComponent({
      setup() {
        got = use();
        return () => h("i");
      },
    }),
  );
  return { got, leave: () => it.unmount() };
}

beforeEach(() => {
  setActivePinia(createPinia());
  vi.restoreAllMocks();
  vi.useRealTimers();
  vi.spyOn(api, "save").mockRejectedValue(new ApiError(0, { message: "away" }));
});

describe("what is copied", () => {
  it("is pasted with its falloffs, and it alone is chosen", () => {
    const field = { name: "push", cue: { kind: "at", times: [0] }, targets: "all", effect: { kind: "push" } };
    opened({
      fields: [{ ...field, reach: { use: "near", layers: null } }],
      falloffs: [{ name: "near", layers: [], strength: 1, limits: [0, 1] }],
    } as unknown as Partial<ShotDocument>);
    const [shot, view] = [useShot(), useView()];
    const { got, leave } = inComponent(useCommands);
    view.select({ kind: "field", name: "push" });
    got.copy();
    opened(); // another shot
    got.paste();
    expect(shot.document!.fields.map((f) => f.name)).toEqual(["push"]);
    expect(shot.document!.falloffs.map((f) => f.name)).toEqual(["near"]);
    expect(view.chosen).toEqual([{ kind: "field", name: "push" }]);
    got.paste();
    expect(shot.document!.fields.map((f) => f.name)).toEqual(["push", "push 2"]);
    leave();
  });
});

describe("the order of bodies", () => {
  it("is changed one place at a time, and not past an end", () => {
    opened();
    const { got, leave } = inComponent(useCommands);
    const order = (): string[] => useShot().bodies.map((b) => b.name);
    got.reorder("post", -1);
    expect(order()).toEqual(["post", "wall"]);
    got.reorder("post", -1);
    expect(order()).toEqual(["post", "wall"]);
    got.reorder("post", 1);
    expect(order()).toEqual(["wall", "post"]);
    leave();
  });
});

describe("the playhead", () => {
  /** Time that goes by when told, and what waits for the next picture. */
  function clock(): (to: number) => void {
    let now = 0;
    let next: ((t: number) => void) | null = null;
    vi.spyOn(performance, "now").mockImplementation(() => now);
    vi.stubGlobal("requestAnimationFrame", (f: (t: number) => void) => ((next = f), 1));
    vi.stubGlobal("cancelAnimationFrame", () => (next = null));
    return (to) => {
      now = to;
      const due = next;
      next = null;
      due?.(now);
    };
  }
  it("goes by the clock, not by pictures, and begins again at the end", () => {
    opened();
    const go = clock();
    const { got } = inComponent(usePlayback);
    const view = useView();
    got.toggle();
    go(450);
    expect(view.frame).toBe(4);
    go(1999);
    expect(view.frame).toBe(19);
    go(2150);
    expect([view.frame, view.playing]).toEqual([0, true]);
    go(2450);
    expect(view.frame).toBe(3);
  });
  it("stays at the end where it does not loop, and starts over from there", () => {
    opened();
    const go = clock();
    const { got } = inComponent(usePlayback);
    const view = useView();
    view.loop = false;
    got.toggle();
    go(9999);
    expect([view.frame, view.playing]).toEqual([20, false]);
    got.toggle();
    expect([view.frame, view.playing]).toEqual([0, true]);
  });
  it("waits at the last frame of a take that is being baked", () => {
    opened();
    const go = clock();
    const { got } = inComponent(usePlayback);
    const [view, takes] = [useView(), useTakes()];
    takes.frames = { count: 6 } as never;
    takes.document = useShot().document;
    takes.current = { id: "t", status: "baking" } as Take;
    takes.list = [takes.current!];
    view.step = "run";
    got.toggle();
    expect([view.showing, got.lastFrame.value]).toEqual(["take", 5]);
    go(5000);
    expect([view.frame, view.playing]).toEqual([5, true]);
    takes.frames = { count: 12 } as never;
    go(5350);
    expect(view.frame).toBe(8);
  });
  it("seeks within what there is, and stops when the page is left", () => {
    opened();
    clock();
    const { got, leave } = inComponent(usePlayback);
    const view = useView();
    got.seek(-3);
    expect(view.frame).toBe(0);
    got.seek(99);
    expect(view.frame).toBe(20);
    got.toggle();
    leave();
    expect(view.playing).toBe(false);
  });
});

/** Two things before the eye: a wall of two pieces at x 0 and 2, and a group of one piece. Rays go along z. */
function scene(group: Group | null = null) {
  const triangle = (x: number): number[] => [x - 0.5, -0.5, 0, x + 0.5, -0.5, 0, x, 0.5, 0];
  const packed = (xs: number[]): Packed =>
    ({
      vertices: new Float32Array(xs.flatMap(triangle)),
      faces: Uint32Array.from({ length: xs.length * 3 }, (_, k) => k),
      face_start: Uint32Array.from({ length: xs.length + 1 }, (_, k) => k),
      volume: new Float32Array(xs.length).fill(1),
    }) as unknown as Packed;
  const at = { position: [0, 0, 0], rotation: [0, 0, 0, 1], size: 1 };
  const shown = [
    { name: "wall", group: null, body: box("wall"), packed: packed([0, 2]), copies: [at] },
    { name: "post", group, body: box("post"), packed: packed([4]), copies: [at] },
  ] as unknown as Shown[];
  const stage = {
    batch: {
      names: ["wall", "post"],
      first: [0, 2, 3],
      placeOf: (p: number) => [p * 2, 0, 0],
      perCopy: () => 2,
      locate: (p: number) => (p < 0 || p > 2 ? null : { body: p < 2 ? 0 : 1, copy: 0, index: p < 2 ? p : 0 }),
    },
    ray: (x: number, y: number) =>
      y < -5 ? { origin: [x, 5, 5], along: [0, -1, -1] } : { origin: [x, y, -5], along: [0, 0, 1] },
    project: (x: number, y: number) => ({ x: x * 100, y: y * 100 }),
  } as unknown as Stage;
  const list = computed(() => shown);
  const putField = vi.fn();
  const picking = usePicking(
    shallowRef(stage),
    list,
    computed(() => list.value.find((t) => t.name === useView().thing)),
    putField,
  );
  return { picking, stage, putField };
}

describe("a click in the view", () => {
  const none = { x: 0, y: 0 };
  it("chooses a body and its piece, and nothing beside all", () => {
    opened();
    const { picking } = scene();
    const view = useView();
    picking.onPick(1, false, none);
    expect([view.selection, view.piece, view.picked]).toEqual([
      { kind: "body", name: "wall" },
      { body: "wall", index: 1 },
      [1],
    ]);
    picking.onPick(2, false, none);
    expect([view.selection?.name, view.piece, view.picked]).toEqual(["post", null, []]);
    picking.onPick(-1, false, none);
    expect(view.selection).toBeNull();
  });
  it("together with others of the same body adds and takes away, and a miss loses nothing", () => {
    opened();
    const { picking } = scene();
    const view = useView();
    picking.onPick(1, false, none);
    picking.onPick(0, true, none);
    expect(view.picked).toEqual([0, 1]);
    picking.onPick(1, true, none);
    picking.onPick(-1, true, none);
    expect([view.picked, view.selection?.name]).toEqual([[0], "wall"]);
  });
  it("drawn to a box takes the pieces whose middle lies in it, when it is let go", () => {
    opened();
    const { picking } = scene();
    const view = useView();
    view.select({ kind: "body", name: "wall" });
    picking.onBox({ x: -50, y: -50, w: 100, h: 100 }, false);
    expect([picking.box.value, view.picked]).toEqual([{ x: -50, y: -50, w: 100, h: 100 }, []]);
    picking.onBox({ x: -50, y: -50, w: 300, h: 100 }, true);
    expect([picking.box.value, view.picked]).toEqual([null, [0, 1]]);
  });
});

describe("placing a field by a click", () => {
  it("puts it where a body or the ground is met, facing out of it", () => {
    opened();
    const { picking, putField } = scene();
    const view = useView();
    view.placingField = true;
    picking.onPick(1, false, { x: 2.1, y: -0.2 });
    expect(putField).toHaveBeenLastCalledWith([2.1, -0.2, 0], [0, 0, -1]);
    expect(view.placingField).toBe(false);
    view.placingField = true;
    picking.onPick(-1, false, { x: 3, y: -9 });
    expect(putField).toHaveBeenLastCalledWith([3, 0, 0], [0, 1, 0]);
  });
  it("goes on waiting after a click into the sky", () => {
    opened();
    const { picking, putField } = scene();
    useView().placingField = true;
    picking.onPick(-1, false, { x: 9, y: 0 });
    expect([useView().placingField, putField.mock.calls.length]).toEqual([true, 0]);
  });
});

describe("dragging the handles", () => {
  const stood = { position: [3, 9, 0], rotation: [0, 0, 0, 1], scale: [1, 1, 1] } as Moved;
  const handles = (snapped = (m: Moved) => m.position) =>
    useHandles(
      shallowRef(null),
      computed(() => false),
      computed(() => 0),
      snapped,
    );
  it("moves what keeps to something there, and what is chosen beside it by the same way", () => {
    opened();
    const [shot, view] = [useShot(), useView()];
    view.select({ kind: "body", name: "wall" });
    view.select({ kind: "body", name: "post" }, true); // the post leads
    const from = shot.bodies.map((b) => b.place.position!);
    handles((m) => [m.position[0], 0.5, m.position[2]]).onMove(stood, true);
    expect(shot.bodies[1]!.place.position).toEqual([3, 0.5, 0]);
    const by = [3, 0.5, 0].map((x, k) => x - from[1]![k]!);
    expect(shot.bodies[0]!.place.position).toEqual(from[0]!.map((x, k) => x + by[k]!));
  });
  it("sizes one direction, or all of them alike", () => {
    opened();
    const [shot, view] = [useShot(), useView()];
    view.select({ kind: "body", name: "wall" });
    view.handle = "scale";
    const wider = { ...stood, position: [0, 0, 0], scale: [1, 2, 1] } as Moved;
    handles().onMove(wider, true);
    expect(shot.bodies[0]!.place.scale).toEqual([1, 2, 1]);
    view.whole = true;
    handles().onMove({ ...wider, scale: [1.5, 2, 1] }, true);
    expect(shot.bodies[0]!.place.scale).toEqual([1.5, 3, 1.5]);
  });
  it("moves the volume that a group is scattered in", () => {
    const group = newGroup("stones", box("stones"), "volume", [1, 1, 1], null);
    opened({ groups: [group] } as never);
    const [shot, view] = [useShot(), useView()];
    view.select({ kind: "group", name: "stones" });
    view.handle = "move";
    handles().onMove(stood, true);
    const { inside } = shot.groups[0]!.layout as { inside: { center: number[] } };
    expect(inside.center).toEqual([3, 9, 0]);
  });
  it("puts a field on a surface: its reach there, what it pushes along into it", () => {
    const push = newField("push", "push", [0, 1, 0], 1);
    opened({ fields: [push] } as never);
    useView().select({ kind: "field", name: "push" });
    handles().putField([2, 0, 0], [0, 1, 0]);
    const [field] = useShot().fields;
    expect((field!.reach.layers![0]!.shape as { center: number[] }).center).toEqual([2, 0, 0]);
    expect((field!.effect as { direction: number[] }).direction).toEqual([0, -1, 0]);
  });
});

describe("placing a tie by clicks", () => {
  const start = (kind: "pin" | "string"): void =>
    void (useView().placing = { kind, body: null, point: null, note: "" });
  it("puts a pin where the body is met, and chooses it", () => {
    opened();
    const { picking } = scene();
    start("pin");
    picking.onPick(1, false, { x: 2.1, y: -0.2 });
    const [tie] = useShot().ties;
    expect(tie).toMatchObject({ name: "pin", how: { kind: "pin" }, body: "wall", to: null, point: [2.1, -0.2, 0] });
    expect([useView().placing, useView().selection]).toEqual([null, { kind: "tie", name: "pin" }]);
  });
  it("of a string takes two ends: another body, or the ground", () => {
    opened();
    const { picking } = scene();
    for (const [piece, at, to, end] of [
      [2, { x: 4, y: 0 }, "post", [4, 0, 0]],
      [-1, { x: 3, y: -9 }, null, [3, 0, 0]],
    ] as const) {
      start("string");
      picking.onPick(0, false, { x: 0, y: 0 });
      expect(useView().placing).toMatchObject({ body: "wall", point: [0, 0, 0] });
      picking.onPick(piece, false, at);
      expect(useShot().ties.at(-1)).toMatchObject({ body: "wall", to, point: [0, 0, 0], to_point: end });
    }
    expect(useShot().ties.map((t) => t.name)).toEqual(["string", "string 2"]);
  });
  it("goes on waiting after a click into nothing, and says why a group cannot be tied", () => {
    opened();
    const { picking } = scene(newGroup("post", box("post"), "line", [1, 1, 1], null));
    start("pin");
    picking.onPick(-1, false, { x: 9, y: 0 });
    expect([useView().placing?.note, useShot().ties]).toEqual(["", []]);
    picking.onPick(2, false, { x: 4, y: 0 });
    expect(useView().placing?.note).toContain("post is a group");
    expect(useShot().ties).toEqual([]);
  });
});

describe("marks of ties", () => {
  it("stand at both ends of a string where ties are worked on, and choose the end", async () => {
    opened({
      ties: [
        newTie("string", "guy", "wall", [1, 2, 0], null, [3, 0, 0]),
        newTie("pin", "nail", "post", [0, 0, 0], null, null),
      ],
    });
    const { stage } = scene();
    const drawn: unknown[] = [];
    (stage as unknown as { ties: unknown }).ties = { set: (ends: unknown) => drawn.push(ends) };
    const shown = computed<Shown[]>(() => []);
    const marks = useTieMarks(
      shallowRef(stage),
      shown,
      computed(() => false),
      computed(() => 0),
      shallowRef(null),
      ref(2),
    );
    const view = useView();
    view.step = "bind";
    marks.drawTiesNow();
    marks.placeTieTags();
    expect(marks.tieTags.value.map((t) => [t.name, t.end, t.x, t.y])).toEqual([
      ["guy", 0, 100, 200],
      ["guy", 1, 300, 0],
      ["nail", 0, 0, 0],
    ]);
    marks.chooseTie("guy", 1);
    await nextTick();
    expect([view.selection, view.tieEnd]).toEqual([{ kind: "tie", name: "guy" }, 1]);
    view.step = "run";
    marks.drawTiesNow();
    expect(drawn.at(-1)).toBeNull();
  });
});

describe("copies of a thing", () => {
  it("are one for a body, each member's for a group, and none while members are not known", () => {
    const group = newGroup("row", box("row"), "line", [1, 1, 1], null);
    const thing = { name: "row", body: group.body, group };
    const members = {
      position: new Float32Array([0, 0, 0, 5, 0, 0]),
      rotation: new Float32Array([0, 0, 0, 1, 0, 0, 0, 1]),
      factor: new Float32Array([1, 2]),
    } as unknown as Packed;
    expect(copiesOf({ ...thing, group: null }, undefined, 0, undefined)).toHaveLength(1);
    expect(copiesOf(thing, undefined, 0, undefined)).toBeNull();
    expect(copiesOf(thing, members, 0, undefined)!.map((c) => [c.position[0], c.size])).toEqual([
      [0, 1],
      [5, 2],
    ]);
  });
});
