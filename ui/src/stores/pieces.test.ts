import { flushPromises } from "@vue/test-utils";
import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { api, ApiError } from "../api/client";
import type { Packed } from "../api/packed";
import type { Body, BuiltBody, LibraryItem, ShotDocument, Survey } from "../api/types";
import { newBody, newField, newGroup, newLayer } from "../lib/document";
import { useLibrary } from "./library";
import { usePieces } from "./pieces";
import { thingsOf } from "./shot";
import { useSurvey } from "./survey";

const wall = (count: number): Body => ({
  ...newBody("wall", { kind: "box", size: [1, 1, 1], divisions: [1, 1, 1] }, 0),
  pattern: { kind: "cells", count, seed: 1, even: 0, smallest: 0, up_to: null, crowd: null },
});
const shot = (...bodies: Body[]): ShotDocument => ({ bodies, groups: [], fields: [], falloffs: [] }) as never;
const figures = (key: string): BuiltBody => ({ key, pieces: 3 }) as unknown as BuiltBody;
const packed = (n: number): Packed => ({ volume: new Float32Array(n) }) as unknown as Packed;

beforeEach(() => {
  setActivePinia(createPinia());
  vi.restoreAllMocks();
  vi.useRealTimers();
});

describe("built pieces", () => {
  it("are asked for once for what decides them, and drawn from one geometry", async () => {
    const build = vi.spyOn(api, "build").mockImplementation(async () => ({ built: figures("k"), share: 1, left: 0 }));
    const fetched = vi.spyOn(api, "pieces").mockResolvedValue(packed(3));
    const pieces = usePieces();
    await pieces.update(shot(wall(9)));
    await pieces.update(shot(wall(9)));
    expect(pieces.packedOf("wall")!.volume).toHaveLength(3);
    const moved = wall(9);
    moved.place.position = [5, 0, 0];
    await pieces.update(shot(moved));
    expect([build.mock.calls.length, fetched.mock.calls.length]).toEqual([2, 1]);
  });
  it("tell how far a long build is, and the last wish alone counts", async () => {
    vi.useFakeTimers();
    const asked: number[] = [];
    vi.spyOn(api, "build").mockImplementation(async (body) => {
      const count = (body.pattern as { count: number }).count;
      asked.push(count);
      return asked.length < 4
        ? { built: null, share: 0.25, left: 8 }
        : { built: figures(`k${count}`), share: 1, left: 0 };
    });
    vi.spyOn(api, "pieces").mockImplementation(async (key) => packed(key === "k50" ? 50 : 9));
    const cancelled = vi.spyOn(api, "cancelBuild").mockResolvedValue(undefined as never);
    const pieces = usePieces();
    const first = pieces.update(shot(wall(9)));
    await vi.advanceTimersByTimeAsync(10);
    expect(pieces.progress.get("wall")).toEqual({ share: 0.25, left: 8 });
    const second = pieces.update(shot(wall(50)));
    await vi.advanceTimersByTimeAsync(2000);
    await Promise.all([first, second]);
    expect(cancelled).toHaveBeenCalledTimes(1);
    expect(pieces.packedOf("wall")!.volume).toHaveLength(50);
    expect(pieces.progress.size).toBe(0);
  });
  it("are asked for no more once a long build is stopped, until something changes", async () => {
    vi.useFakeTimers();
    const build = vi.spyOn(api, "build").mockResolvedValue({ built: null, share: 0.25, left: 8 });
    const cancelled = vi.spyOn(api, "cancelBuild").mockResolvedValue(undefined as never);
    const pieces = usePieces();
    const first = pieces.update(shot(wall(9)));
    await vi.advanceTimersByTimeAsync(10);
    await pieces.cancel("wall");
    const before = build.mock.calls.length;
    await vi.advanceTimersByTimeAsync(5000);
    await first;
    await pieces.update(shot(wall(9)));
    expect([build.mock.calls.length, cancelled.mock.calls.length, pieces.progress.size]).toEqual([before, 1, 0]);
    expect(pieces.errors.get("wall")).toBe("breaking wall was stopped; its settings are kept");
    await pieces.cancel("wall"); // there is nothing to stop any more
    expect(cancelled).toHaveBeenCalledTimes(1);
    build.mockResolvedValue({ built: figures("k"), share: 1, left: 0 });
    vi.spyOn(api, "pieces").mockResolvedValue(packed(3));
    expect([...pieces.stopped.keys()]).toEqual(["wall"]);
    await pieces.goOn(thingsOf(shot(wall(9)))[0]!);
    expect([pieces.errors.size, pieces.stopped.size, pieces.built.has("wall")]).toEqual([0, 0, true]);
  });
  it("that were stopped are built once something changes, and what the stopped build answers counts no more", async () => {
    vi.useFakeTimers();
    let fail: (error: ApiError) => void = () => undefined;
    const build = vi.spyOn(api, "build").mockResolvedValueOnce({ built: null, share: 0.25, left: 8 });
    build.mockImplementationOnce(() => new Promise((_, reject) => (fail = reject)));
    vi.spyOn(api, "cancelBuild").mockResolvedValue(undefined as never);
    const shown = vi.spyOn(api, "mesh").mockResolvedValue(packed(1));
    const pieces = usePieces();
    const first = pieces.update(shot(wall(9)));
    await vi.advanceTimersByTimeAsync(2000);
    await pieces.cancel("wall");
    fail(new ApiError(422, { message: "breaking wall was stopped; its settings are kept" }));
    await first;
    expect([shown.mock.calls.length, pieces.stopped.size]).toEqual([0, 1]);
    build.mockResolvedValue({ built: figures("k"), share: 1, left: 0 });
    vi.spyOn(api, "pieces").mockResolvedValue(packed(3));
    await pieces.update(shot(wall(8)));
    expect([pieces.errors.size, pieces.stopped.size, pieces.built.has("wall")]).toEqual([0, 0, true]);
  });
  it("that cannot be are said why, and their mesh is shown as it is", async () => {
    vi.spyOn(api, "build").mockRejectedValue(new ApiError(422, { message: "it is open" }));
    vi.spyOn(api, "mesh").mockResolvedValue(packed(1));
    const pieces = usePieces();
    await pieces.update(shot(wall(9)));
    expect(pieces.errors.get("wall")).toBe("it is open");
    expect(pieces.packedOf("wall")!.volume).toHaveLength(1);
    await pieces.update(shot());
    expect([pieces.errors.size, pieces.packedOf("wall")]).toEqual([0, undefined]);
  });
  it.each([0, 503])("are asked for again after the server was away (%i)", async (status) => {
    const build = vi.spyOn(api, "build").mockRejectedValueOnce(new ApiError(status, { message: "away" }));
    build.mockResolvedValue({ built: figures("k"), share: 1, left: 0 });
    vi.spyOn(api, "pieces").mockResolvedValue(packed(3));
    const pieces = usePieces();
    await pieces.update(shot(wall(9)));
    expect(pieces.errors.get("wall")).toBe("away");
    await pieces.update(shot(wall(9)));
    expect([pieces.errors.size, pieces.built.has("wall")]).toEqual([0, true]);
  });
  it("of a group come with where its members stand, asked again when that changes", async () => {
    vi.spyOn(api, "build").mockResolvedValue({ built: figures("k"), share: 1, left: 0 });
    vi.spyOn(api, "pieces").mockResolvedValue(packed(1));
    const members = vi.spyOn(api, "members").mockResolvedValue({ position: new Float32Array(6) } as never);
    const group = newGroup("row", wall(4), "line", [1, 1, 1], null);
    const document = { ...shot(), groups: [group] } as ShotDocument;
    const pieces = usePieces();
    await pieces.update(document);
    await pieces.update(document);
    expect(members).toHaveBeenCalledTimes(1);
    await pieces.update({ ...document, groups: [{ ...group, turn: 1 }] } as ShotDocument);
    expect(members).toHaveBeenCalledTimes(2);
    expect(thingsOf(document).map((t) => [t.name, t.group?.name])).toEqual([["row", "row"]]);
  });
});

describe("what fields reach", () => {
  const survey = (over: Partial<Survey["crossings"][number]>[]): Survey =>
    ({
      findings: [],
      maps: {},
      crossings: over.map((c) => ({
        field: "blow",
        body: "wall",
        targeted: true,
        pieces: 0,
        of: 10,
        bonds: 0,
        breaks: 0,
        load_top: 0,
        strength_low: 0,
        strength_high: 0,
        ...c,
      })),
    }) as unknown as Survey;
  it("is summed over the bodies a field targets", () => {
    const store = useSurvey();
    expect(store.totals("blow").known).toBe(false);
    store.result = survey([
      { pieces: 3, bonds: 4, breaks: 1, load_top: 5, strength_low: 2, strength_high: 9 },
      { body: "floor", pieces: 2, load_top: 7 },
      { body: "tower", targeted: false, pieces: 99, bonds: 99 },
    ]);
    expect(store.totals("blow")).toMatchObject({
      known: true,
      pieces: 5,
      of: 20,
      bonds: 4,
      breaks: 1,
      load: 7,
      low: 2,
      high: 9,
    });
    expect(store.crossing("blow", "floor")!.pieces).toBe(2);
  });
  it("is asked for the newest document only", async () => {
    vi.useFakeTimers();
    const asked: unknown[] = [];
    vi.spyOn(api, "survey").mockImplementation(async (document) => {
      asked.push(document);
      return survey([]);
    });
    const store = useSurvey();
    store.update(shot());
    store.update(shot(wall(3)));
    await vi.advanceTimersByTimeAsync(60);
    expect(asked).toHaveLength(1);
    expect((asked[0] as ShotDocument).bodies).toHaveLength(1);
    expect(store.result).not.toBeNull();
  });
  it("stays as it was where the document cannot be used", async () => {
    vi.useFakeTimers();
    vi.spyOn(api, "survey").mockRejectedValue(new ApiError(422, { message: "no" }));
    const store = useSurvey();
    store.result = survey([{ pieces: 3 }]);
    store.update(shot());
    await vi.advanceTimersByTimeAsync(60);
    expect(store.totals("blow").pieces).toBe(3);
  });
});

describe("the library", () => {
  it("keeps a field with the layers of the shared falloff it uses, and leaves the field as it is", async () => {
    const kept = vi.spyOn(api, "keep").mockResolvedValue(undefined as never);
    vi.spyOn(api, "library").mockResolvedValue({ items: [{ kind: "field", name: "blow" }] as LibraryItem[] });
    const blow = newField("strain", "blow", [0, 0, 0], 1);
    blow.reach = { layers: [], use: "spot", strength: 1, limits: [0, 1] };
    const spot = { name: "spot", layers: [newLayer([1, 1, 1], 1)], strength: 0.5, limits: [0, 0.9] };
    const library = useLibrary();
    await library.keep("field", blow, [spot]);
    const item = kept.mock.calls[0]![0].item as unknown as typeof blow;
    expect(item.reach).toMatchObject({ use: null, strength: 0.5, limits: [0, 0.9], layers: spot.layers });
    expect(blow.reach.use).toBe("spot");
    expect(library.items.map((i) => i.name)).toEqual(["blow"]);
  });
  it("says what went wrong and forgets it at the next try", async () => {
    vi.spyOn(api, "library")
      .mockRejectedValueOnce(new ApiError(0, { message: "away" }))
      .mockResolvedValue({ items: [] });
    const library = useLibrary();
    await library.load();
    expect(library.problem).toBe("away");
    await library.load();
    await flushPromises();
    expect(library.problem).toBe("");
  });
});
