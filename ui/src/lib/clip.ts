/** Things copied out of a shot, and put into the same or another one under names that are free there. */
import type { Body, FieldItem, Group, SharedFalloff, ShotDocument, Tie } from "../api/types";
import { bodiesNamedIn, freeName, renameIn, replaceUse } from "./document";
import type { Vec } from "./rotation";
import { shift } from "./shift";
import type { Selection } from "../stores/view";

export interface Clip {
  bodies: Body[];
  groups: Group[];
  fields: FieldItem[];
  ties: Tie[];
  falloffs: SharedFalloff[];
}
type Picked = NonNullable<Selection>;

/** Whether a part of a document uses a shared falloff. */
const uses = (part: unknown, name: string): boolean => JSON.stringify(part).includes(`"use":${JSON.stringify(name)}`);

/** Copies of what is chosen, ties between them, and the falloffs they use. */
export function clipOf(document: ShotDocument, chosen: readonly Picked[]): Clip {
  const of = (kind: Picked["kind"]): Set<string> => new Set(chosen.filter((c) => c.kind === kind).map((c) => c.name));
  const [bodies, groups, fields, ties, falloffs] = [of("body"), of("group"), of("field"), of("tie"), of("falloff")];
  const within = (t: Tie): boolean => bodies.has(t.body) && (!t.to || bodies.has(t.to));
  const out: Clip = structuredClone({
    bodies: (document.bodies as Body[]).filter((b) => bodies.has(b.name)),
    groups: (document.groups as Group[]).filter((g) => groups.has(g.name)),
    fields: (document.fields as FieldItem[]).filter((f) => fields.has(f.name)),
    ties: (document.ties as Tie[]).filter((t) => ties.has(t.name) || within(t)),
    falloffs: [],
  });
  const used = [...out.bodies, ...out.groups, ...out.fields];
  out.falloffs = structuredClone(
    (document.falloffs as SharedFalloff[]).filter((f) => falloffs.has(f.name) || uses(used, f.name)),
  );
  return out;
}

export const isEmpty = (clip: Clip): boolean =>
  !clip.bodies.length && !clip.groups.length && !clip.fields.length && !clip.ties.length && !clip.falloffs.length;

/**
 * Put a clip into a document, in place, moved by a way. What a field or tie names and is neither here nor in the clip
 * is left out. Returns what is new, to be chosen, and the names of what was left out.
 */
export function paste(
  document: ShotDocument,
  source: Partial<Clip>,
  by: Vec = [0, 0, 0],
): { fresh: Picked[]; lost: string[] } {
  const clip: Clip = { bodies: [], groups: [], fields: [], ties: [], falloffs: [], ...structuredClone(source) };
  const others = clip.bodies.length + clip.groups.length + clip.fields.length > 0;
  const part = { ...document, ...clip } as ShotDocument; // the clip as a shot of its own, to rename in
  part.maps = [];
  const things = [...document.bodies, ...document.groups].map((x) => x.name);
  for (const thing of [...clip.bodies, ...clip.groups]) {
    const old = thing.name;
    thing.name = freeName(old, things);
    things.push(thing.name);
    for (const t of clip.ties) {
      if (t.body === old) t.body = thing.name;
      if (t.to === old) t.to = thing.name;
    }
    if (thing.name !== old) renameIn(part, old, thing.name);
  }
  const rename = (
    list: { name: string }[],
    known: readonly { name: string }[],
    told: (old: string, now: string) => void,
  ): void => {
    const used = known.map((x) => x.name);
    for (const x of list) {
      const old = x.name;
      x.name = freeName(old, used);
      used.push(x.name);
      if (x.name !== old) told(old, x.name);
    }
  };
  const same = (f: SharedFalloff): boolean =>
    document.falloffs.some((x) => x.name === f.name && JSON.stringify(x) === JSON.stringify(f));
  if (others) clip.falloffs = clip.falloffs.filter((f) => !same(f)); // used on, where it is there as it is
  rename(clip.falloffs, document.falloffs, (old, now) => replaceUse(part, old, (reach) => (reach.use = now)));
  rename(clip.fields, document.fields, (old, now) => {
    for (const f of clip.fields) if (f.aim === old) f.aim = now;
  });
  rename(clip.ties, document.ties, () => undefined);
  const bodies = new Set(things);
  const fieldNames = new Set([...document.fields, ...clip.fields].map((f) => f.name));
  const lost = [...bodiesNamedIn(part)].filter((name) => !bodies.has(name) && !fieldNames.has(name));
  for (const name of lost) renameIn(part, name, null);
  for (const f of clip.fields) if (Array.isArray(f.targets) && !f.targets.length) f.targets = "all";
  const ties = clip.ties.filter((t) => bodies.has(t.body) && (!t.to || bodies.has(t.to)));
  document.falloffs.push(...clip.falloffs);
  document.bodies.push(...clip.bodies);
  document.groups.push(...clip.groups);
  document.fields.push(...clip.fields);
  document.ties.push(...ties);
  const fresh: Picked[] = [
    ...clip.bodies.map((b) => ({ kind: "body" as const, name: b.name })),
    ...clip.groups.map((g) => ({ kind: "group" as const, name: g.name })),
    ...clip.fields.map((f) => ({ kind: "field" as const, name: f.name })),
    ...ties.map((t) => ({ kind: "tie" as const, name: t.name })),
    ...clip.falloffs.map((f) => ({ kind: "falloff" as const, name: f.name })),
  ];
  for (const { kind, name } of fresh) shift(document, kind, name, by);
  return { fresh, lost };
}
