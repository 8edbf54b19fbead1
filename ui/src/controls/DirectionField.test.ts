import { mount } from "@vue/test-utils";
import { describe, expect, it } from "vitest";
import DirectionField from "./DirectionField.vue";

function shown(value: number[]) {
  const it = mount(DirectionField, {
    props: {
      label: "axis",
      modelValue: value,
      "onUpdate:modelValue": (v: number[]) => void it.setProps({ modelValue: v }),
    },
  });
  return it;
}

async function type(it: ReturnType<typeof shown>, part: string, text: string): Promise<void> {
  const input = it.get(`input[aria-label="axis ${part}"]`);
  await input.setValue(text);
  await input.trigger("keydown", { key: "Enter" });
}

describe("a direction", () => {
  it("can be typed by way of none at all, which is said and not given", async () => {
    const it = shown([0, 1, 0]);
    await type(it, "y", "0");
    expect(it.text()).toContain("points nowhere");
    expect(it.emitted("update:modelValue")).toBeUndefined();
    expect((it.get('input[aria-label="axis y"]').element as HTMLInputElement).value).toBe("0");
    await type(it, "x", "2");
    expect(it.emitted("update:modelValue")!.at(-1)).toEqual([[2, 0, 0]]);
    expect(it.text()).not.toContain("points nowhere");
  });
  it("keeps its proportion while it is typed, and is a unit long when left", async () => {
    const it = shown([0, 0, 1]);
    await type(it, "x", "3");
    await type(it, "z", "4");
    expect(it.props("modelValue")).toEqual([3, 0, 4]);
    await it.get(".direction").trigger("focusout");
    expect(it.props("modelValue")).toEqual([0.6, 0, 0.8]);
  });
});
