import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { computed, ref, shallowRef } from "vue";
import type { ShotDocument } from "../api/types";
import { newBody, SHAPES } from "../lib/document";
import type { Vec } from "../lib/rotation";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import type { Stage } from "../viewport/Stage";
import { useRopePoints } from "./useRopePoints";

/** A rope seen along -z, a pixel a centimetre, the world's middle in that of the view. */
function set(points: Vec[]) {
  setActivePinia(createPinia());
  const body = newBody("rope", SHAPES.line!(), 0);
  body.place.position = [1, 0, 0];
  (body.shape as { points: Vec[] }).points = points;
  const shot = useShot();
  shot.document = { bodies: [body], groups: [], fields: [], ties: [] } as unknown as ShotDocument;
  const flush = vi.spyOn(shot, "flush").mockResolvedValue(undefined as never);
  const stage = {
    project: (x: number, y: number) => ({ x: 100 + 100 * x, y: 100 - 100 * y }),
    ray: (x: number, y: number) => ({ origin: [(x - 100) / 100, (100 - y) / 100, 9] as Vec, along: [0, 0, -1] as Vec }),
    renderer: { domElement: { getBoundingClientRect: () => ({ left: 0, top: 0, width: 200, height: 200 }) } },
  } as unknown as Stage;
  const thing = computed(() => ({ name: "rope", group: null, body: shot.bodies[0]! }));
  const surface = vi.fn<(at: { x: number; y: number }, above: number) => Vec | null>(() => null);
  const inTake = ref(false);
  const out = useRopePoints(shallowRef(stage), thing as never, computed(() => inTake.value), surface); // oxfmt-ignore
  out.placeDots();
  return { ...out, flush, surface, inTake };
}
const points = (): Vec[] => (useShot().bodies[0]!.shape as { points: Vec[] }).points;

/** A drag from a dot, in steps. */
function drag(all: ReturnType<typeof set>, dot: number, to: [number, number][], shiftKey = false): void {
  const target = document.createElement("button");
  target.setPointerCapture = () => undefined;
  const event = (type: string, at: [number, number]): Event =>
    Object.assign(new Event(type), { clientX: at[0], clientY: at[1], shiftKey, button: 0, pointerId: 1 });
  const down = event("pointerdown", to[0]!);
  Object.defineProperty(down, "currentTarget", { value: target });
  all.drag(all.dots.value[dot]!, down as PointerEvent);
  for (const at of to) target.dispatchEvent(event("pointermove", at));
  target.dispatchEvent(event("pointerup", to.at(-1)!));
}

describe("points of a rope", () => {
  let all: ReturnType<typeof set>;
  beforeEach(() => {
    all = set([
      [0, 0, 0],
      [1, 0, 3],
    ]);
  });
  it("have a dot each where they are, and one between any two", () => {
    expect(all.dots.value).toEqual([
      { x: 250, y: 100, k: 1, between: true },
      { x: 200, y: 100, k: 0, between: false },
      { x: 300, y: 100, k: 1, between: false },
    ]);
  });
  it("go with the pointer at the depth they had, as one edit", () => {
    drag(all, 2, [
      [300, 100],
      [320, 60],
      [340, 50],
    ]);
    expect(points()).toEqual([
      [0, 0, 0],
      [1.4, 0.5, 3],
    ]);
    expect(all.flush).toHaveBeenCalledTimes(1);
  });
  it("are put in between, once, however far that is dragged", () => {
    drag(all, 0, [
      [250, 100],
      [250, 0],
      [250, 50],
    ]);
    expect(points()).toEqual([
      [0, 0, 0],
      [0.5, 0.5, 1.5],
      [1, 0, 3],
    ]);
  });
  it("lie on what is under the pointer with Shift, above it by the rope's round", () => {
    all.surface.mockReturnValue([4, 4, 4]);
    drag(all, 1, [[210, 100]], true);
    expect(points()[0]).toEqual([3, 4, 4]);
    expect(all.surface.mock.calls[0]![1]).toBeCloseTo(0.015);
  });
  it("are taken out down to two", () => {
    const three = set([
      [0, 0, 0],
      [1, 1, 0],
      [2, 0, 0],
    ]);
    const middle = three.dots.value.find((d) => d.k === 1 && !d.between)!;
    three.takeOut(middle);
    expect(points()).toHaveLength(2);
    three.takeOut(middle);
    expect(points()).toHaveLength(2);
  });
  it("have no dots over a take, in other steps, while it is drawn, or of very many", () => {
    for (const change of [
      () => void (all.inTake.value = true),
      () => void (useView().step = "bind"),
      () => void (useView().drawing = []),
    ]) {
      all = set([[0, 0, 0], [1, 0, 0]]); // oxfmt-ignore
      change();
      all.placeDots();
      expect(all.dots.value).toEqual([]);
    }
    expect(set(Array.from({ length: 61 }, (_, k): Vec => [k, 0, 0])).dots.value).toEqual([]);
  });
});
