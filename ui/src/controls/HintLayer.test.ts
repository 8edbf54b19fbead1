import { mount, type VueWrapper } from "@vue/test-utils";
import { ElTooltip } from "element-plus";
import { afterEach, beforeEach, expect, it, vi } from "vitest";
import HintLayer from "./HintLayer.vue";

let layer: VueWrapper;
const shown = (): boolean => layer.getComponent(ElTooltip).props("visible") === true;
const at = (id: string): HTMLElement => document.getElementById(id)!;
const over = (id: string): boolean => at(id).dispatchEvent(new Event("pointerover", { bubbles: true }));

beforeEach(() => {
  vi.useFakeTimers();
  document.body.innerHTML = `<p id="a" data-hint="one"></p><p id="b" data-hint="two"></p><p id="none"></p>`;
  layer = mount(HintLayer, { attachTo: document.body });
});
afterEach(() => layer.unmount());

async function rested(): Promise<void> {
  await vi.advanceTimersByTimeAsync(600);
}

it("comes after a moment over what has a hint, and goes with the pointer", async () => {
  over("a");
  await vi.advanceTimersByTimeAsync(200);
  expect(shown()).toBe(false);
  await rested();
  expect([shown(), layer.getComponent(ElTooltip).props("content")]).toEqual([true, "one"]);
  over("none");
  await rested();
  expect(shown()).toBe(false);
});

it("says no more of what was pressed until the pointer has left it, so that it covers no list", async () => {
  over("a");
  at("a").dispatchEvent(new Event("pointerdown", { bubbles: true }));
  over("a");
  await rested();
  expect(shown()).toBe(false);
  over("b");
  await rested();
  expect(layer.getComponent(ElTooltip).props("content")).toBe("two");
  over("a");
  await rested();
  expect([shown(), layer.getComponent(ElTooltip).props("content")]).toEqual([true, "one"]);
});

it("says what is so now, and goes with what it is about", async () => {
  over("a");
  await rested();
  at("a").dataset.hint = "another";
  await rested();
  expect([shown(), layer.getComponent(ElTooltip).props("content")]).toEqual([true, "another"]);
  delete at("a").dataset.hint;
  await rested();
  expect(shown()).toBe(false);
  over("b");
  await rested();
  expect(shown()).toBe(true);
  at("b").remove();
  await rested();
  expect(shown()).toBe(false);
});
