import { describe, expect, it, vi } from "vitest";
import type { Packed } from "../api/packed";
import { FrameCache, widthOf } from "./frames";

const PIECES = 2;
const PER_FRAME = PIECES * (3 * 4 + 1);

/** Frames whose numbers say which frame and piece they are of. */
function chunk(first: number, count: number): Packed {
  const position = new Float32Array(count * PIECES * 3);
  const state = new Uint8Array(count * PIECES);
  for (let f = 0; f < count; f++)
    for (let p = 0; p < PIECES; p++) {
      position[(f * PIECES + p) * 3] = (first + f) * 10 + p;
      state[f * PIECES + p] = p;
    }
  return { position, state };
}

const settled = (): Promise<void> => new Promise((done) => setTimeout(done));

function cacheOf(mostBytes?: number): { cache: FrameCache; fetch: ReturnType<typeof vi.fn>; arrived: () => void } {
  const fetch = vi.fn((first: number) => Promise.resolve(chunk(first, 4)));
  const arrived = vi.fn();
  return { cache: new FrameCache(fetch as never, { arrived }, mostBytes), fetch, arrived };
}
const RANGES = [0, 4, 8, 12, 16].map((first) => ({ first, count: 4 }));

describe("frames of a take", () => {
  it("fetches the opening at once and others when they are asked for, with the one that follows", async () => {
    const { cache, fetch, arrived } = cacheOf();
    await cache.add(RANGES);
    expect([cache.count, cache.pieces, [...cache.names]]).toEqual([20, PIECES, ["position", "state"]]);
    expect(fetch.mock.calls).toEqual([[0]]);
    expect(cache.at(9)).toBeNull();
    expect(cache.at(10)).toBeNull();
    await settled();
    expect(fetch.mock.calls).toEqual([[0], [8], [12]]);
    expect(arrived).toHaveBeenCalledTimes(3);
    expect([...cache.at(9)!.arrays.position!]).toEqual([90, 0, 0, 91, 0, 0]);
    expect(widthOf(cache.at(9)!, "position")).toBe(3);
    expect(widthOf(cache.at(9)!, "load")).toBe(0);
    expect(cache.at(20)).toBeNull();
    expect(cache.at(-1)).toBeNull();
  });

  it("passes over chunks it knows and does not go past a gap", async () => {
    const { cache } = cacheOf();
    await cache.add([RANGES[0]!]);
    await cache.add([RANGES[0]!, RANGES[2]!]);
    expect(cache.count).toBe(4);
    await cache.add([RANGES[1]!, RANGES[2]!]);
    expect(cache.count).toBe(12);
  });

  it("stays within its bytes, keeps the opening, and fetches again what made room", async () => {
    const { cache, fetch } = cacheOf(3.5 * 4 * PER_FRAME);
    await cache.add(RANGES);
    for (const index of [4, 8, 12, 16]) {
      cache.at(index);
      await settled();
      expect(cache.bytes).toBeLessThanOrEqual(3.5 * 4 * PER_FRAME);
    }
    expect(cache.opening!.arrays.position![0]).toBe(0);
    expect(cache.at(5)).toBeNull();
    await settled();
    expect(cache.at(5)!.arrays.position![3]).toBe(51);
    expect(fetch.mock.calls.filter(([first]) => first === 4)).toHaveLength(2);
  });

  it("carries arrays of elements other than pieces, and of any name", async () => {
    const points = new Float32Array(4 * 5 * 3).map((_, k) => k);
    const cache = new FrameCache(() => Promise.resolve({ ...chunk(0, 4), "points/sail": points }));
    await cache.add([RANGES[0]!]);
    expect(cache.at(1)!.arrays["points/sail"]).toEqual(points.subarray(15, 30));
  });

  it("says what failed, and tries again when asked again", async () => {
    let broken = true;
    const failed = vi.fn();
    const fetch = (first: number): Promise<Packed> =>
      broken && first === 4 ? Promise.reject(new Error("gone")) : Promise.resolve(chunk(first, 4));
    const cache = new FrameCache(fetch, { failed });
    await cache.add(RANGES);
    cache.at(4);
    await settled();
    expect(failed).toHaveBeenCalledWith(new Error("gone"));
    broken = false;
    cache.at(4);
    await settled();
    expect(cache.at(4)!.index).toBe(4);
  });

  it("forgets what comes after it was closed", async () => {
    const { cache, arrived } = cacheOf();
    const adding = cache.add(RANGES);
    cache.close();
    await adding;
    expect(cache.opening).toBeNull();
    expect(arrived).not.toHaveBeenCalled();
  });
});
