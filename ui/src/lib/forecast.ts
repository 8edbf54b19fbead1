/** What the forecast of a strain cannot know, in words; empty where it counts all of it. */
import type { FieldItem } from "../api/types";

export function notForeseen(field: FieldItem): string {
  const { effect, cue } = field;
  if (effect.kind !== "strain") return "";
  const out: string[] = [];
  if (cue.kind === "impact") out.push("counted for one hit");
  if (effect.mode === "blow" && effect.burst !== 0) out.push("what the throw and the fall break comes on top");
  else out.push("what falls afterwards breaks on its own");
  if (field.travel) out.push("counted where it is now");
  return `${out.join("; ")}.`.replace(/^./, (c) => c.toUpperCase());
}
