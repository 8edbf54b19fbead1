import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { computed, nextTick, ref, shallowRef } from "vue";
import { newBody } from "../lib/document";
import { changeMatter } from "../lib/matter";
import type { Vec } from "../lib/rotation";
import { blank, paintedLayer } from "../lib/strokes";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useView } from "../stores/view";
import type { Survey, ShotDocument } from "../api/types";
import { meetFaces } from "../viewport/meets";
import type { Stage } from "../viewport/Stage";
import { useBrush } from "./useBrush";
import type { Shown } from "./useShown";

/** A square of 2 m that hangs a metre lower than it rests; seen from above, a pixel a centimetre. */
const REST = new Float32Array([-1, 0, -1, 1, 0, -1, 1, 0, 1, -1, 0, 1]);
const FACES = new Uint32Array([0, 2, 1, 0, 3, 2]);

function set(group: object | null = null) {
  setActivePinia(createPinia());
  const body = newBody("flag", { kind: "sheet", size: [2, 2], thickness: 0.01, divisions: [1, 1] }, 0);
  changeMatter(body, "cloth");
  body.place.position = [0, 3, 0];
  body.pins = [{ reach: blank(body.place), cut: 0.5, to: null }] as never;
  const shot = useShot();
  shot.document = { bodies: [body], groups: [], fields: [], ties: [] } as unknown as ShotDocument;
  vi.spyOn(shot, "flush").mockResolvedValue(undefined as never);
  const places = Array.from({ length: 4 }, (_, v) => [REST[v * 3]!, 2, REST[v * 3 + 2]!]).flat();
  const stage = {
    surfaces: { numberOf: () => 0, meet: (_: number, o: Vec, a: Vec) => meetFaces(o, a, places, FACES) },
    ray: (x: number, y: number) => ({ origin: [x / 100, 9, y / 100] as Vec, along: [0, -1, 0] as Vec }),
    metresAt: () => 0.01,
  } as unknown as Stage;
  const thing = computed(() => ({
    name: "flag",
    group,
    body: shot.bodies[0]!,
    packed: { vertices: REST.map((x, k) => (k % 3 === 1 ? -1 : x)), rest: REST },
    copies: [],
  }));
  const view = useView();
  view.brush = { size: 0.5, soft: 0, strength: 1, how: "add", mirror: "" };
  const inTake = ref(false);
  const repaint = vi.fn();
  const brush = useBrush(
    shallowRef(stage),
    thing as never,
    computed(() => inTake.value),
    repaint,
  );
  view.painting = { part: "pins", k: 0 };
  return { brush, view, shot, inTake, repaint, thing: thing as unknown as { value: Shown } };
}
const strokes = () => paintedLayer(useShot().bodies[0]!.pins[0]!.reach)!.strokes!;

describe("the brush", () => {
  let all: ReturnType<typeof set>;
  beforeEach(() => void (all = set()));
  it("draws a stroke where the body rests, seen before it is kept, and keeps it once", () => {
    const { brushing } = all.brush;
    expect(brushing("begin", { x: -80, y: -80 })).toBe(true);
    expect([...all.view.painted!]).toEqual([1, 0, 0, 0]);
    brushing("move", { x: -78, y: -80 }); // too near for another point
    brushing("move", { x: 80, y: -80 });
    expect([...all.view.painted!]).toEqual([1, 1, 0, 0]);
    expect(strokes()).toEqual([]);
    expect(brushing("end", { x: 80, y: -80 })).toBe(true);
    expect(strokes()).toHaveLength(1);
    expect(strokes()[0]!.points).toEqual([
      [-0.8, 0, -0.8],
      [0.8, 0, -0.8],
    ]);
    expect(all.repaint).toHaveBeenCalled();
    expect(brushing("end", { x: 0, y: 0 })).toBe(false);
    expect(strokes()).toHaveLength(1);
  });
  it("takes away from what the survey says is there, until the survey knows better", async () => {
    useSurvey().result = { weights: { "pins.0": [1, 1, 0.5, 0] } } as unknown as Survey;
    await nextTick();
    all.view.brush = { ...all.view.brush, how: "remove", strength: 0.25, size: 5 };
    all.brush.brushing("begin", { x: 0, y: 0 });
    expect([...all.view.painted!]).toEqual([0.75, 0.75, 0.25, 0]);
    all.brush.brushing("end", { x: 0, y: 0 });
    useSurvey().result = { weights: { "pins.0": [0.75, 0.75, 0.25, 0] } } as unknown as Survey;
    await nextTick();
    expect(all.view.painted).toBeNull();
  });
  it("leaves the camera what does not begin on the body, and shows its ring only there", () => {
    const { brushing, ring } = all.brush;
    expect(brushing("hover", { x: 20, y: 0 })).toBe(false);
    expect(ring.value).toEqual({ x: 20, y: 0, radius: 50 });
    expect(brushing("begin", { x: 300, y: 0 })).toBe(false);
    expect(ring.value).toBeNull();
    expect(brushing("move", { x: 0, y: 0 })).toBe(false);
  });
  it("mirrors what it is told to", () => {
    all.view.brush = { ...all.view.brush, mirror: "x" };
    all.brush.brushing("begin", { x: -80, y: -80 });
    expect([...all.view.painted!]).toEqual([1, 1, 0, 0]);
  });
  it("is put down over a take, on a group, and when another thing is chosen", async () => {
    all.inTake.value = true;
    expect(all.brush.brushing("begin", { x: 0, y: 0 })).toBe(false);
    const group = set({});
    expect(group.brush.brushing("begin", { x: 0, y: 0 })).toBe(false);
    const other = set();
    other.brush.brushing("begin", { x: 0, y: 0 });
    other.view.select({ kind: "body", name: "other" });
    await nextTick();
    expect([other.view.painting, other.view.painted]).toEqual([null, null]);
  });
});
