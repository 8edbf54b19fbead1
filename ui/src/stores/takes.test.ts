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

class Stream {
  listeners: Record<string, (e: { data: string }) => void> = {};
  closed = false;
  addEventListener(name: string, on: (e: { data: string }) => void): void {
    this.listeners[name] = on;
  }
  say(name: string, data: unknown): void {
    this.listeners[name]!({ data: JSON.stringify(data) });
  }
  close(): void {
    this.closed = true;
  }
}

const settled = (): Promise<void> => new Promise((done) => setTimeout(done, 5));
let streams: Stream[] = [];

beforeEach(() => {
  setActivePinia(createPinia());
  vi.restoreAllMocks();
  streams = [];
  vi.spyOn(api, "take").mockImplementation((id) =>
    Promise.resolve({
      take: take(id, id === "c" ? "queued" : "whole"),
      document: { name: id },
      state_names: ["held"],
    } as never),
  );
  vi.spyOn(api, "stream").mockImplementation(() => {
    streams.push(new Stream());
    return streams.at(-1) as never;
  });
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
    streams[0]!.say("chunks", [CHUNKS[0]]);
    await settled();
    expect([takes.frames!.count, takes.frames!.pieces]).toEqual([4, 2]);
    streams[0]!.say("chunks", CHUNKS);
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
    const first = streams[0]!;
    await takes.open("b");
    expect(first.closed).toBe(true);
    first.say("chunks", CHUNKS);
    await settled();
    expect(takes.frames).toBeNull();
    expect(takes.current!.id).toBe("b");
  });

  it("says what could not be fetched", async () => {
    const takes = useTakes();
    vi.spyOn(api, "chunk").mockRejectedValue(new ApiError(500, { message: "the database is away" } as never));
    await takes.open("a");
    streams[0]!.say("chunks", CHUNKS);
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
