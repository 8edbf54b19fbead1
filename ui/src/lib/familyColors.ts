/** The families' hues as the theme has them. */
import type { Family } from "./document";
import { hexColor, type Rgb } from "./ramp";

export function familyColors(): Record<Family, Rgb> {
  const style = getComputedStyle(document.documentElement);
  const of = (name: string): Rgb => hexColor(style.getPropertyValue(name).trim() || "#888888");
  return { holds: of("--lichen"), breaks: of("--ember"), moves: of("--tide"), ends: of("--ash") };
}
