/**
 * What a thing is, in a sentence, when the pointer rests on it or the keyboard reaches it; its name where it has none.
 */
import type { Directive } from "vue";

type Hinted = HTMLElement | SVGElement;

function put(el: Hinted, text: string | null | undefined): void {
  if (!text) {
    delete el.dataset.hint;
    return;
  }
  el.dataset.hint = text;
  const named = el instanceof HTMLElement || el.hasAttribute("role"); // parts of drawings have no names
  const bare = named && !el.textContent?.trim() && !el.querySelector("input, textarea, [aria-label]");
  if (bare && (!el.hasAttribute("aria-label") || el.dataset.named !== undefined)) {
    el.setAttribute("aria-label", text);
    el.dataset.named = "";
  }
}

export const hint: Directive<Hinted, string | null | undefined> = {
  mounted: (el, { value }) => put(el, value),
  updated: (el, { value }) => put(el, value),
};
