import { mount, type VueWrapper } from "@vue/test-utils";
import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { api } from "../api/client";
import type { FieldItem, ShotDocument } from "../api/types";
import { newField } from "../lib/document";
import { useShot } from "../stores/shot";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";
import CueSheet from "./CueSheet.vue";

/** 240 frames over 900 pixels, 8 of them on either side. */
const at = (frame: number): number => 8 + (frame / 240) * 884;

function pointer(type: string, frame: number, more: PointerEventInit = {}): PointerEvent {
  return new PointerEvent(type, { clientX: at(frame), pointerId: 1, bubbles: true, ...more });
}

function field(name: string, cue: Record<string, unknown>): FieldItem {
  return { ...newField(name === "gale" ? "wind" : "strain", name, [0, 0, 0], 1), cue } as FieldItem;
}

function sheet(): VueWrapper {
  const it = mount(CueSheet, { attachTo: document.body });
  it.get('[data-testid="timeline"]').element.getBoundingClientRect = () =>
    ({ left: 0, width: 900, top: 0, height: 200 }) as DOMRect;
  return it;
}

async function drag(it: VueWrapper, target: string, from: number, to: number): Promise<void> {
  const element = it.get(target).element;
  element.setPointerCapture = () => undefined;
  element.dispatchEvent(pointer("pointerdown", from));
  element.dispatchEvent(pointer("pointermove", (from + to) / 2));
  element.dispatchEvent(pointer("pointermove", to));
  element.dispatchEvent(pointer("pointerup", to));
  await it.vm.$nextTick();
}

beforeEach(() => {
  setActivePinia(createPinia());
  vi.restoreAllMocks();
  vi.spyOn(api, "save").mockReturnValue(new Promise(() => undefined));
  const shot = useShot();
  shot.document = {
    name: "a",
    bodies: [],
    groups: [],
    ties: [],
    maps: [],
    falloffs: [],
    fields: [
      field("blow", { kind: "at", time: 1 }),
      field("gale", { kind: "span", start: 2, end: 4, ease_in: 0, ease_out: 0 }),
    ],
    timing: { frames: 240, fps: 24 },
  } as unknown as ShotDocument;
});

const cue = (k: number): Record<string, unknown> => useShot().document!.fields[k]!.cue as never;

describe("the cue sheet", () => {
  it("has a lane for each field, which its name chooses", async () => {
    const it = sheet();
    const names = it.findAll(".lane-name");
    expect(names.map((n) => n.text())).toEqual(["blow", "gale"]);
    await names[1]!.trigger("click");
    expect(useView().selection).toEqual({ kind: "field", name: "gale" });
  });
  it("moves a blow by the frames it is dragged, never before the start", async () => {
    const it = sheet();
    await drag(it, '[data-testid="cue-blow"]', 24, 60);
    expect(cue(0).time).toBe(2.5);
    await drag(it, '[data-testid="cue-blow"]', 60, 0);
    expect(cue(0).time).toBe(0);
  });
  it("moves a span as a whole, and either end of it no farther than the other", async () => {
    const it = sheet();
    await drag(it, '[data-testid="cue-gale"]', 50, 62);
    expect([cue(1).start, cue(1).end]).toEqual([2.5, 4.5]);
    await drag(it, "rect.end", 60, 72);
    expect([cue(1).start, cue(1).end]).toEqual([3, 4.5]);
    await drag(it, "rect.end", 72, 200);
    expect(cue(1).end).toBe(4.5);
    expect(cue(1).start as number).toBeCloseTo(4.5 - 1 / 24);
  });
  it("seeks where the strip is pressed and dragged", async () => {
    const it = sheet();
    await drag(it, "svg.strip", 120, 180);
    expect(it.emitted("seek")).toEqual([[120], [150], [180]]);
  });
  it("counts what had broken by the playhead", async () => {
    const it = sheet();
    useTakes().stats = {
      bonds_broken: [0, 3, 0, 4],
      moving: [0, 5, 6, 7],
      energy: [0, 1, 2, 3],
      overlap: [0, 4e-7, 0.002, 0],
    };
    useView().frame = 2;
    await it.vm.$nextTick();
    expect(it.text()).toContain("broken 3");
    expect(it.text()).toContain("moving 6");
    expect(it.get('[data-testid="overlap"]').text()).toBe("2 mm");
    expect(it.findAll("rect.broke")).toHaveLength(2);
    useView().frame = 1;
    await it.vm.$nextTick();
    expect(it.get('[data-testid="overlap"]').text()).toBe("0 mm");
  });
});
