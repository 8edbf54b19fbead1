import { flushPromises, mount, type VueWrapper } from "@vue/test-utils";
import { createPinia, setActivePinia } from "pinia";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import { api, ApiError } from "../api/client";
import type { BondLoad, ShotDocument, Take, Trace } from "../api/types";
import { RESTS } from "../composables/useTrace";
import { newField } from "../lib/document";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import { press } from "../test.helpers";
import TraceCard from "./TraceCard.vue";

const TRACE: Trace = {
  piece: 12,
  frames: 4,
  load: [0.2, 0.4, 1.3, 0],
  speed: [0, 0, 1, 2.5],
  states: [{ name: "held", spans: [[0, 2]] }],
  fields: [{ name: "gale", spans: [[1, 2]] }],
  events: [
    {
      frame: 2,
      time: 0.1,
      kind: "bond_broken",
      pieces: [12, 15],
      load: 13,
      strength: 10,
      causes: [{ field: "gale", load: 13, share: 1 }],
    },
  ],
};
const BONDS: BondLoad[] = [
  {
    bond: 3,
    piece: 15,
    load: 9,
    strength: 10,
    causes: [
      { field: "gale", load: 6 },
      { weight: "wall", load: 3 },
    ],
  },
];

beforeEach(() => {
  vi.useFakeTimers();
  setActivePinia(createPinia());
  const takes = useTakes();
  takes.current = { id: "t", frames_done: 3 } as Take;
  takes.document = { fields: [newField("wind", "gale", [9, 0, 0], 1)] } as unknown as ShotDocument;
  useView().traced = { piece: 12, first: 10, body: "wall", thing: "wall" };
  vi.spyOn(api, "trace").mockResolvedValue(TRACE);
  vi.spyOn(api, "bondLoads").mockResolvedValue({ bonds: BONDS });
});
afterEach(() => {
  vi.useRealTimers();
  vi.restoreAllMocks();
});

async function shown(): Promise<VueWrapper> {
  const card = mount(TraceCard);
  await flushPromises();
  return card;
}

it("says how full the worst bond is at the frame shown, or how fast the piece is", async () => {
  const card = await shown();
  useView().frame = 1;
  await card.vm.$nextTick();
  expect(card.text()).toContain("wall, piece 2");
  expect(card.find("[data-testid=trace-now]").text()).toBe("40 %");
  await press(card, "speed");
  useView().frame = 3;
  await card.vm.$nextTick();
  expect(card.find("[data-testid=trace-now]").text()).toBe("2.5 m/s");
});

it("shows the speed where loads were not followed", async () => {
  vi.mocked(api.trace).mockResolvedValue({ ...TRACE, load: [] });
  const card = await shown();
  expect(card.text()).not.toContain("worst bond");
  expect(card.find("[data-testid=trace-now]").text()).toBe("0 m/s");
});

it("names who acted and what became of it, and leads there", async () => {
  const card = await shown();
  expect(card.find("[data-testid=trace-field]").text()).toBe("gale");
  const row = card.findAll("button").find((b) => b.text().includes("piece 5 parted"))!;
  expect(row.text()).toBe("f 2gale: piece 5 parted, 13 of 10 kN");
  await row.trigger("click");
  expect(card.emitted("seek")).toEqual([[2]]);
});

it("asks what loads its bonds once the playhead stands still, and only of where it stands", async () => {
  const card = await shown();
  const view = useView();
  for (const frame of [1, 2, 3]) {
    view.frame = frame;
    await card.vm.$nextTick();
  }
  expect(api.bondLoads).not.toHaveBeenCalled();
  vi.advanceTimersByTime(RESTS);
  await flushPromises();
  expect(vi.mocked(api.bondLoads).mock.calls.map((c) => c.slice(0, 3))).toEqual([["t", 12, 3]]);
  const bond = card.find("[data-testid=trace-bond]").text();
  expect(bond).toContain("9 of 10 kN");
  expect(bond).toContain("gale 67 %, its own weight 33 %");

  view.playing = true;
  view.frame = 0;
  await card.vm.$nextTick();
  vi.advanceTimersByTime(10 * RESTS);
  expect(api.bondLoads).toHaveBeenCalledTimes(1);
  expect(card.text()).toContain("where the playhead stands still");
});

it("goes on to the piece at the other end of a bond", async () => {
  const card = await shown();
  vi.advanceTimersByTime(RESTS);
  await flushPromises();
  await press(card, "piece 5");
  const view = useView();
  expect([view.traced!.piece, view.picked, view.piece]).toEqual([15, [5], { body: "wall", index: 5 }]);
  await flushPromises();
  expect(vi.mocked(api.trace).mock.calls.at(-1)!.slice(0, 2)).toEqual(["t", 15]);
});

it("says why there is no trace", async () => {
  const sentence = "the take has 2 pieces, so there is no piece 12";
  vi.mocked(api.trace).mockRejectedValue(new ApiError(422, { message: sentence }));
  expect((await shown()).find("[role=alert]").text()).toBe(sentence);
});
