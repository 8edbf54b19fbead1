import { mount } from "@vue/test-utils";
import { createPinia, setActivePinia } from "pinia";
import { beforeEach, expect, it } from "vitest";
import { nextTick } from "vue";
import type { ShotDocument } from "../api/types";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import { useLeftOff } from "./useLeftOff";

const lists = { bodies: [], groups: [], fields: [], ties: [], falloffs: [], maps: [] };
let left: ReturnType<typeof useLeftOff>;
let looked: number[][] = [];

beforeEach(() => {
  setActivePinia(createPinia());
  looked = [];
  mount({
    setup: () => {
      left = useLeftOff(
        () => [1, 2, 3, 0, 0, 0],
        (camera) => looked.push(camera),
      );
      return () => null;
    },
  });
});

function open(id: string): boolean {
  useShot().id = id;
  useShot().document = { name: id, ...lists } as unknown as ShotDocument;
  return left.takeUp(id);
}

it("each shot is taken up where it was left, and opening one does not touch another", async () => {
  const view = useView();
  expect(open("a")).toBe(false);
  view.step = "drive";
  view.frame = 12;
  await nextTick();
  left.leave();
  left.close();
  view.reset(); // the next shot is on its way: what is on the screen is of none
  await nextTick();
  expect(open("b")).toBe(false);
  left.close();
  view.reset();
  expect(open("a")).toBe(true);
  expect([view.step, view.frame, looked]).toEqual(["drive", 12, [[1, 2, 3, 0, 0, 0]]]);
});
