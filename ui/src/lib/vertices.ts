/** Numbers of a vertex of a body that deforms, in words. */
import type { FrameData } from "./frames";
import { showNumber } from "./units";

const WORDS: Record<string, (v: number) => string> = {
  recall: (v) => `drawn back at ${showNumber(v, 3)} 1/s`,
  stiffness: (v) => `stiffness × ${showNumber(v, 3)}`,
  thickness: (v) => `thickness × ${showNumber(v, 3)}`,
  strength: (v) => `strength × ${showNumber(v, 3)}`,
};

/** What its falloffs come to at a vertex, by the survey's weights. */
export const weightLines = (weights: Record<string, readonly number[]>, vertex: number): string[] =>
  Object.entries(WORDS).flatMap(([name, say]) => {
    const value = weights[name]?.[vertex];
    return value === undefined ? [] : [say(value)];
  });

const STATES = ["held", "resting", "moving"];

/** What a frame says of a vertex: its state, and the map that is shown. */
export function numbersAt(arrays: FrameData["arrays"], body: string, vertex: number, map: string): string[] {
  const state = arrays[`state/${body}`]?.[vertex];
  const lines = [`vertex ${vertex}${state === undefined ? "" : ` · ${STATES[state] ?? "gone"}`}`];
  const tension = arrays[`tension/${body}`]?.[vertex];
  if (tension) lines.push(`bears ${showNumber((100 * tension) / 255, 2)} % of its strength`);
  if (arrays[`touch/${body}`]?.[vertex]) lines.push("touches something");
  const value = map ? arrays[`value/${map}/${body}`]?.[vertex] : undefined;
  if (value !== undefined) lines.push(`${map}: ${showNumber(value, 2)}`);
  return lines;
}
