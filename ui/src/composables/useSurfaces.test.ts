import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { computed, shallowRef } from "vue";
import type { Survey } from "../api/types";
import { newBody } from "../lib/document";
import type { FrameData } from "../lib/frames";
import { changeMatter } from "../lib/matter";
import { useShot } from "../stores/shot";
import { useSurvey } from "../stores/survey";
import { useTakes } from "../stores/takes";
import { useView, type ColorBy } from "../stores/view";
import type { Stage } from "../viewport/Stage";
import type { SurfaceShape } from "../viewport/SurfaceBatch";
import { placed, useSurfaces } from "./useSurfaces";
import type { Shown } from "./useShown";

const still = [0, 0, 0, 1];

function flag(
  copies: object[] = [{ position: [0, 3, 0], rotation: still, size: 1 }],
  group: object | null = null,
): Shown {
  const body = newBody("flag", { kind: "sheet", size: [1, 1], thickness: 0.01, divisions: [1, 1] }, 0);
  changeMatter(body, "cloth");
  const vertices = new Float32Array([0, 0, 0, 1, 0, 0, 0, 0, 1]);
  const packed = { vertices, faces: new Uint32Array([0, 1, 2]), lines: new Uint32Array(), volume: new Float32Array() };
  return { name: "flag", group, body, packed, copies } as unknown as Shown;
}

/** What a stage is told. */
function stage() {
  const shapes: SurfaceShape[] = [];
  const places: number[][] = [];
  const looks: string[] = [];
  const values: number[][] = [];
  const surfaces = {
    setShapes: (s: SurfaceShape[]) => shapes.push(...s),
    setPlaces: (k: number, p: ArrayLike<number>) => (places[k] = Array.from(p)),
    setValues: (k: number, of: (v: number) => number) => (values[k] = [0, 1, 2].map(of)),
    setLook: (k: number, _tint: unknown, by: string) => (looks[k] = by),
  };
  const s = { batch: { count: 0 }, surfaces, invalidate: vi.fn() } as unknown as Stage;
  return { s, shapes, places, looks, values };
}

const use = (s: Stage, shown: Shown[], frame: FrameData | null = null, before: FrameData | null = null) =>
  useSurfaces(
    shallowRef(s),
    computed(() => shown),
    computed(() => !!frame),
    shallowRef(frame),
    computed(() => before),
  ).paintSurfaces;

beforeEach(() => setActivePinia(createPinia()));

describe("what deforms", () => {
  it("stands in the set-up where the document has it, sized and turned", () => {
    const quarter = [0, 0, Math.SQRT1_2, Math.SQRT1_2]; // x to y
    const out = placed(new Float32Array([1, 0, 0]), { position: [5, 0, 0], rotation: quarter, size: 2 } as never);
    expect([...out]).toEqual([5, 2, 0].map((x) => expect.closeTo(x)));
  });
  it("is where the take has it, and a member of a group by its own name", () => {
    const { s, shapes, places } = stage();
    const two = [0, 1].map((x) => ({ position: [x, 0, 0], rotation: still, size: 1 }));
    const arrays = { "points/flag.0002": new Float32Array([7, 7, 7, 8, 8, 8, 9, 9, 9]) };
    use(s, [flag(two, {})], { index: 3, pieces: 0, arrays } as never)();
    expect(shapes.map((x) => x.copy)).toEqual([0, 1]);
    expect(places[1]).toEqual([7, 7, 7, 8, 8, 8, 9, 9, 9]);
    expect(places[0]!.slice(0, 3)).toEqual([0, 0, 0]); // not told by the take: as it opened
  });
  it("shows which vertices are pinned, and the reach of the chosen field where that is asked for", () => {
    const { s, looks, values } = stage();
    useSurvey().result = {
      vertices: {
        flag: { count: 3, pinned: [1], reach: [0, 0.5, 1], pressure: [0, 50, 200], map: [0, 0.5, 1], tint: [] },
      },
    } as unknown as Survey;
    const paint = use(s, [flag()]);
    paint();
    expect([looks[0], values[0]]).toEqual(["held", [0, 1, 0]]);
    const view = useView();
    view.select({ kind: "field", name: "wind" });
    view.colorBy = "reach";
    paint();
    expect([looks[0], values[0]]).toEqual(["value", [-1, 0.5, 1]]);
    useShot().document = { maps: [{ name: "heat", ramp: "tide" }] } as never;
    view.colorBy = "map";
    view.map = "heat";
    paint();
    expect([looks[0], values[0]]).toEqual(["packed", [0x3a464f, 0x2f8c9c, 0xdff3df]]);
    view.colorBy = "pressure";
    paint();
    expect([looks[0], values[0]]).toEqual(["value", [0, 0.25, 1]]);
  });
  it("is coloured in a take by what each frame has of its vertices", () => {
    const { s, looks, values } = stage();
    const points = new Float32Array([0, 0, 0, 1, 0, 0, 2, 0, 0]);
    const arrays = {
      "points/flag": points,
      "tension/flag": new Uint8Array([0, 51, 255]),
      "touch/flag": new Uint8Array([0, 1, 0]),
      "acted/flag": new Uint8Array([0, 1, 1]),
      "value/heat/flag": new Float32Array([0, 0.5, 1]),
    };
    useTakes().document = {
      fields: [{ name: "wind", effect: { kind: "wind" } }],
      maps: [{ name: "heat", ramp: "tide" }],
      timing: { fps: 24 },
    } as never;
    const paint = use(s, [flag()], { index: 3, pieces: 0, arrays } as never, { index: 2, pieces: 0, arrays } as never);
    const view = useView();
    view.showing = "take";
    view.map = "heat";
    const look = (by: ColorBy): [string, number[]] => {
      view.colorBy = by;
      paint();
      return [looks[0]!, values[0]!];
    };
    expect(look("stretch")[0]).toBe("stretch");
    expect(look("tension")).toEqual(["value", [0, 0.2, 1]]);
    expect(look("speed")).toEqual(["value", [0, 0, 0]]); // it stands
    const [how, touch] = look("touch");
    expect([how, touch[0], touch[1]! > 0]).toEqual(["packed", -1, true]);
    const [, acted] = look("fields");
    expect([acted[0], acted[1] === acted[2], acted[1]! >= 0]).toEqual([-1, true, true]);
    expect(look("map")[1]).toEqual([0x3a464f, 0x2f8c9c, 0xdff3df]);
  });
  it("has its pieces told apart, pulled apart and picked", () => {
    const { s, looks, values, places } = stage();
    const own = flag();
    const paint = use(s, [own]);
    const view = useView();
    view.colorBy = "piece";
    paint();
    expect(looks[0]).toBe("own"); // it is whole
    Object.assign(own.packed, {
      part: new Int32Array([0, 1, 1]),
      part_volume: new Float32Array([1, 3]),
      part_center: new Float32Array([0, 0, 0, 4, 0, 0]),
      part_path: new Int32Array([0, -1, -1, -1, 1, -1, -1, -1]),
    });
    paint();
    expect(looks[0]).toBe("packed");
    expect([values[0]![0] === values[0]![1], values[0]![1] === values[0]![2]]).toEqual([false, true]);
    view.explode = [0.5, 0, 0, 0]; // from the middle at 3, by half of how far off they are
    paint();
    expect(places[0]!.map((x) => Math.round(100 * x) / 100)).toEqual([-1.5, 3, 0, 1.5, 3, 0, 0.5, 3, 1]);
    view.colorBy = "material";
    view.select({ kind: "body", name: "flag" });
    view.picked = [1];
    paint();
    expect([values[0]![0], values[0]![1]! > 0]).toEqual([-1, true]);
    view.picked = [];
    paint();
    expect(looks[0]).toBe("own");
  });
  it("is laid out once, until its shape is another", () => {
    const { s, shapes } = stage();
    const own = flag();
    const paint = use(s, [own]);
    paint();
    paint();
    expect(shapes).toHaveLength(1);
    (own as { packed: unknown }).packed = { ...own.packed };
    paint();
    expect(shapes).toHaveLength(2);
  });
  it("is not drawn as such while it is still the rigid body it was", () => {
    const { s, shapes } = stage();
    const own = flag();
    delete (own.packed as Record<string, unknown>).lines;
    use(s, [own])();
    expect(shapes).toEqual([]);
  });
});
