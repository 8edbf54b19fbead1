/** What the forecast of a strain cannot know, in words; empty where it counts all of it. */
import type { FieldItem, PathLoad } from "../api/types";

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

/** What comes of what flows through a body's bonds, in words. */
export function through(at: PathLoad): string {
  if (!at.bonds) return "Too many pieces to work it out while editing; a take shows it.";
  const bonds = `its ${at.bonds.toLocaleString("en")} bonds`;
  if (!at.over) return at.bonds === 1 ? "Its bond bears it." : `The worst of ${bonds} bears it.`;
  const over =
    at.bonds === 1
      ? "Its bond bears more than it can"
      : `${at.over.toLocaleString("en")} of ${bonds} ${at.over === 1 ? "bears more than it" : "bear more than they"} can`;
  if (at.rule === "fail") return `${over}: it breaks.`;
  return `${over}, but ${at.rule === "on" ? "loads are only seen" : "loads through bonds are off"}: it stays whole.`;
}
