/** What a hand does to controls, in tests of components. */
import type { DOMWrapper, VueWrapper } from "@vue/test-utils";
import Pick from "./controls/Pick.vue";

type Props = Record<string, unknown>;

/** A list that opens, by its label. */
export function pick(it: VueWrapper, label: string): VueWrapper {
  const found = it.findAllComponents(Pick).find((p) => (p.props() as Props).label === label);
  if (!found) throw new Error(`no list '${label}'`);
  return found as unknown as VueWrapper;
}

/** Choose one of a list by its value. */
export async function choose(it: VueWrapper, label: string, value: string | number): Promise<void> {
  pick(it, label).vm.$emit("update:modelValue", value);
  await it.vm.$nextTick();
}

/** Press a word that can be chosen, or a button, by its text. */
export async function press(it: VueWrapper, word: string): Promise<void> {
  const words: DOMWrapper<Element>[] = it.findAll("button, label.el-radio-button, label.el-checkbox-button");
  const found = words.find((w) => w.text() === word);
  if (!found) throw new Error(`nothing says '${word}'`);
  const input = found.find<HTMLInputElement>("input");
  await (input.exists()
    ? input.setValue(input.element.type === "radio" || !input.element.checked)
    : found.trigger("click"));
}
