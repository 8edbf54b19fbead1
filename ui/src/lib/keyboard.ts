/** Whose a key press is: a field's that is typed in, a control's, or the page's. */

const TYPED = "input:not([type=radio], [type=checkbox], [type=range], [type=button]), textarea, [contenteditable=true]";
/** keys by which controls are moved through and pressed */
const OF_CONTROLS = new Set(["ArrowLeft", "ArrowRight", "ArrowUp", "ArrowDown", "Home", "End", " ", "Enter", "Tab"]);

const closest = (event: Event, selector: string): boolean =>
  event.target instanceof Element && event.target.closest(selector) !== null;

export const isTyping = (event: Event): boolean => closest(event, TYPED);

/** Whether a press belongs to what has the focus, so that it is no shortcut. */
export function isTaken(event: KeyboardEvent): boolean {
  if (isTyping(event) || closest(event, "[role=dialog], [role=menu], [role=listbox]")) return true;
  if (!OF_CONTROLS.has(event.key)) return false;
  if (event.key === " " || event.key === "Enter") return closest(event, "button, a, [role=button], [role=switch]");
  return closest(event, "[role=slider], [role=radiogroup], [role=combobox], [role=tree], [role=separator]");
}
