import { mount, type VueWrapper } from "@vue/test-utils";
import { describe, expect, it } from "vitest";
import NameField from "./NameField.vue";
import NumberField from "./NumberField.vue";

const field = (props: Record<string, unknown> = {}): VueWrapper =>
  mount(NumberField, { props: { modelValue: 2, label: "edge", unit: "m", min: 0, max: 10, ...props } });

async function type(it: VueWrapper, text: string): Promise<void> {
  const input = it.get("input");
  await input.trigger("focus");
  await input.setValue(text);
  await input.trigger("keydown", { key: "Enter" });
}

describe("a number field", () => {
  it("takes sums and units", async () => {
    const it = field();
    await type(it, "3*120 cm");
    expect(it.emitted("update:modelValue")).toEqual([[3.6]]);
  });
  it("says what is wrong beside the number, gives nothing on, and Escape brings the value back", async () => {
    const it = field();
    await type(it, "11");
    expect(it.text()).toContain("must be at most 10 m");
    await type(it, "two");
    expect(it.find(".bad").exists()).toBe(true);
    expect(it.emitted("update:modelValue")).toBeUndefined();
    await it.get("input").trigger("keydown", { key: "Escape" });
    expect(it.find(".bad").exists()).toBe(false);
    expect(it.get("input").element.value).toBe("2");
  });
  it("steps by arrow keys within its limits, whole numbers by ones and tens", async () => {
    const it = field({ modelValue: 9, whole: true });
    await it.get("input").trigger("keydown", { key: "ArrowUp" });
    await it.get("input").trigger("keydown", { key: "ArrowUp", shiftKey: true });
    await it.get("input").trigger("keydown", { key: "ArrowDown", shiftKey: true });
    expect(it.emitted("update:modelValue")).toEqual([[10], [10], [0]]);
  });
  it("goes back to its first value by a double-click on the handle", async () => {
    const it = field({ initial: 5 });
    await it.get(".handle").trigger("dblclick");
    expect(it.emitted("update:modelValue")).toEqual([[5]]);
    expect(it.attributes("data-hint")).toContain("0 to 10");
  });
});

describe("a name field", () => {
  const names = (): VueWrapper => mount(NameField, { props: { name: "wall", taken: ["wall", "ball"] } });
  it("refuses a name that is taken, and none", async () => {
    const it = names();
    await it.get("span.name").trigger("dblclick");
    for (const [text, says] of [
      ["ball", "'ball' is taken"],
      ["  ", "a name is needed"],
    ]) {
      await it.get("input").setValue(text);
      await it.get("input").trigger("keydown", { key: "Enter" });
      expect(it.text()).toContain(says);
    }
    expect(it.emitted("rename")).toBeUndefined();
    await it.get("input").setValue(" gable ");
    await it.get("input").trigger("keydown", { key: "Enter" });
    expect(it.emitted("rename")).toEqual([["gable"]]);
  });
});
