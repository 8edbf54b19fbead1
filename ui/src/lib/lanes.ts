/** The lanes of the cue sheet: what a shot has over time, by families that fold. */
import type { FieldItem, ShotDocument } from "../api/types";
import { FAMILY, FAMILY_COLOR, type Family } from "./document";

interface Common {
  /** whose keys it shows, as in lib/keys */
  id: string;
  name: string;
  glyph: string;
  color: string;
  off: boolean;
}
export interface FieldLane extends Common {
  kind: "field";
  field: FieldItem;
}
export interface OtherLane extends Common {
  kind: "falloff" | "body" | "group" | "tie";
  /** moves without keys */
  steady: boolean;
}
export interface FamilyLane {
  kind: "family";
  id: string;
  name: string;
  count: number;
  folded: boolean;
}
export type Lane = FieldLane | OtherLane;
/** One keyed number of a lane that is opened. */
export interface ChannelLane {
  kind: "channel";
  id: string;
  /** the lane it belongs to, and its number */
  lane: string;
  of: string;
  name: string;
  color: string;
}

const WORDS: [Family, string][] = [
  ["holds", "hold"],
  ["breaks", "break"],
  ["moves", "move"],
  ["ends", "end"],
];
/** a family of so many lanes has a line of its own, to fold it by */
const MANY = 3;

function families(document: ShotDocument): [string, Lane[]][] {
  const fields = (family: Family): FieldLane[] =>
    (document.fields as FieldItem[])
      .filter((f) => FAMILY[f.effect.kind] === family)
      .map((field) => ({
        kind: "field",
        id: `field ${field.name}`,
        name: field.name,
        glyph: field.effect.kind,
        color: FAMILY_COLOR[family],
        off: !field.on,
        field,
      }));
  const things = [
    ...document.bodies.map((b) => ({ kind: "body" as const, name: b.name, body: b })),
    ...(document.groups ?? []).map((g) => ({ kind: "group" as const, name: g.name, body: g.body })),
  ];
  const other = (kind: OtherLane["kind"], name: string, more: Partial<OtherLane>): OtherLane => ({
    kind,
    id: `${kind} ${name}`,
    name,
    glyph: "peg",
    color: "var(--accent)",
    off: false,
    steady: false,
    ...more,
  });
  return [
    ...WORDS.map(([family, word]): [string, Lane[]] => [word, fields(family)]),
    [
      "falloffs",
      (document.falloffs ?? [])
        .filter((f) => f.channels?.length)
        .map((f) => other("falloff", f.name, { glyph: "falloff" })),
    ],
    [
      "bodies",
      things
        .filter((t) => (t.body.role === "animated" && t.kind === "body") || t.body.channels?.length)
        .map((t) => other(t.kind, t.name, { steady: t.body.role === "animated" && !t.body.motion })),
    ],
    [
      "ties",
      (document.ties ?? []).map((t) =>
        other("tie", t.name, { glyph: t.how.kind, color: FAMILY_COLOR.holds, off: !t.on }),
      ),
    ],
  ];
}

const AXES = ["x", "y", "z"];

/** A keyed number in words: "center x", "speed". */
export function channelWord(of: string): string {
  const parts = of.split(".").filter((p) => !["reach", "layers", "shape", "effect", "material"].includes(p));
  const last = parts.pop()!;
  const axis = /^[012]$/.test(last) ? AXES[Number(last)]! : null;
  return (axis ? [parts.at(-1), axis] : [last]).join(" ");
}

/** The numbers of a lane that are keyed, a lane each. */
function channelLanes(document: ShotDocument, lane: Lane): ChannelLane[] {
  const lists = { field: document.fields, falloff: document.falloffs, body: document.bodies, group: [], tie: [] };
  const own = [...lists[lane.kind]].find((x) => x.name === lane.name) as { channels?: { of: string }[] } | undefined;
  const group = lane.kind === "group" ? document.groups.find((g) => g.name === lane.name)?.body : undefined;
  return ((own ?? group)?.channels ?? [])
    .map((c) => c.of)
    .sort()
    .map((of) => ({
      kind: "channel",
      id: `${lane.id}|${of}`,
      lane: lane.id,
      of,
      name: channelWord(of),
      color: lane.color,
    }));
}

/** Whether a lane has keyed numbers to open into. */
export const opens = (document: ShotDocument, lane: Lane): boolean => channelLanes(document, lane).length > 0;

export function lanesOf(
  document: ShotDocument,
  folded: ReadonlySet<string> | readonly string[],
  opened: readonly string[] = [],
): (Lane | FamilyLane | ChannelLane)[] {
  const shut = new Set(folded);
  const open = new Set(opened);
  return families(document).flatMap(([name, closed]): (Lane | FamilyLane | ChannelLane)[] => {
    const lanes = closed.flatMap((lane) => [lane, ...(open.has(lane.id) ? channelLanes(document, lane) : [])]);
    if (closed.length < MANY) return lanes;
    const head: FamilyLane = {
      kind: "family",
      id: `family ${name}`,
      name,
      count: closed.length,
      folded: shut.has(name),
    };
    return [head, ...(head.folded ? [] : lanes)];
  });
}
