import { mount } from "@vue/test-utils";
import { expect, it } from "vitest";
import TextField from "./TextField.vue";

it("gives its words when they are left, and gives them up by Escape", async () => {
  const field = mount(TextField, { props: { modelValue: "box", label: "name" }, attachTo: document.body });
  const input = field.get("input");
  await input.setValue("wall");
  expect((input.element as HTMLInputElement).value).toBe("wall");
  await input.trigger("keydown", { key: "Enter" });
  await input.trigger("blur");
  expect(field.emitted("update:modelValue")).toEqual([["wall"]]);
  await field.setProps({ modelValue: "wall" });
  await input.setValue("door");
  await input.trigger("keydown", { key: "Escape" });
  await input.trigger("blur");
  expect(field.emitted("update:modelValue")).toHaveLength(1);
  expect((input.element as HTMLInputElement).value).toBe("wall");
});
