import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { api, ApiError } from "../api/client";
import type { Chunk, Take } from "../api/types";
import { useTakes } from "./takes";

const take = (id: string, status = "whole"): Take =>
  ({ id, number: 1, status, frames_done: 7, frames_total: 7 }) as never;
const CHUNKS = [0, 4].map((first) => ({
  first,
  count: 4,
  stats: { moving: [0, 1, 2, 3].map((k) => first + k) },
})) as unknown as Chunk[];

/** Answers to looks at a take: each waits until it is given. */
class Looks {
  after: number[] = [];
  private waiting: ((answer: unknown) => void)[] = [];
  look(after: number): Promise<never> {
    this.after.push(after);
    return new Promise((done) => this.waiting.push(done as never));
  }
  answer(chunks: Chunk[], status = "baking"): void {
    this.waiting.shift()!({ take: take("a", status), chunks });
  }
  get asked(): number {
    return this.after.length;
  }
}

const again = (): Promise<void> => new Promise((done) => setTimeout(done, 300));
const settled = (): Promise<void> => new Promise((done) => setTimeout(done, 5));
let looks: Looks;

beforeEach(() => {
  setActivePinia(createPinia());
  vi.restoreAllMocks();
  looks = new Looks();
  vi.spyOn(api, "take").mockImplementation((id) =>
    Promise.resolve({
      take: take(id, id === "c" ? "queued" : "whole"),
      document: { name: id },
      state_names: ["held"],
    } as never),
  );
  vi.spyOn(api, "progress").mockImplementation((_, after) => looks.look(after));
  vi.spyOn(api, "chunk").mockImplementation((_, first) =>
    Promise.resolve({
      state: new Uint8Array(8),
      position: new Float32Array(24).fill(first),
      orientation: new Float32Array(32),
    }),
  );
  vi.spyOn(api, "events").mockResolvedValue({ events: [] });
});

describe("the take shown", () => {
  it("shows frames as their chunks come, and fetches only what is looked at", async () => {
    const takes = useTakes();
    await takes.open("a");
    expect(takes.frames).toBeNull();
    looks.answer([CHUNKS[0]!]);
    await settled();
    expect([takes.frames!.count, takes.frames!.pieces]).toEqual([4, 2]);
    await again();
    expect(looks.after).toEqual([-1, 0]);
    looks.answer([CHUNKS[1]!], "done");
    await settled();
    expect(takes.frames!.count).toBe(8);
    expect(takes.stats.moving).toEqual([0, 1, 2, 3, 4, 5, 6, 7]);
    expect(api.chunk).toHaveBeenCalledTimes(1);
    const before = takes.arrived;
    expect(takes.frames!.at(6)).toBeNull();
    await settled();
    expect(takes.arrived).toBe(before + 1);
    expect(takes.frames!.at(6)!.arrays.position![0]).toBe(4);
  });

  it("lets go of a take that is left, and of what still comes of it", async () => {
    const takes = useTakes();
    await takes.open("a");
    await takes.open("b");
    looks.answer(CHUNKS);
    await again();
    expect(takes.frames).toBeNull();
    expect(looks.asked).toBe(2);
    expect(takes.current!.id).toBe("b");
  });

  it("asks no more once a bake is over, and goes on asking while the server is away", async () => {
    const takes = useTakes();
    const progress = vi.spyOn(api, "progress").mockRejectedValueOnce(new ApiError(0, { message: "away" }));
    await takes.open("a");
    await settled();
    expect(takes.problem).toBe("away");
    progress.mockImplementation((_, after) => looks.look(after));
    await again();
    looks.answer(CHUNKS, "done");
    await again();
    expect([takes.problem, takes.frames!.count, looks.asked]).toEqual(["", 8, 1]);
  });

  it("says what could not be fetched", async () => {
    const takes = useTakes();
    vi.spyOn(api, "chunk").mockRejectedValue(new ApiError(500, { message: "the database is away" } as never));
    await takes.open("a");
    looks.answer(CHUNKS);
    await settled();
    expect(takes.problem).toContain("the database is away");
  });

  it("asks before a bake in which fields cannot act", async () => {
    const takes = useTakes();
    const refused = new ApiError(422, {} as never);
    Object.assign(refused, { problems: [{ where: "fields[0]", message: "gale reaches nothing" }] });
    const bake = vi.spyOn(api, "bake").mockRejectedValueOnce(refused).mockResolvedValue(take("c", "queued"));
    await takes.bake("s");
    expect([takes.faulty, takes.problem]).toEqual([["gale reaches nothing"], ""]);
    await takes.bake("s", true);
    expect(bake).toHaveBeenLastCalledWith("s", true);
    expect([takes.faulty, takes.baking!.id]).toEqual([[], "c"]);
  });
});
