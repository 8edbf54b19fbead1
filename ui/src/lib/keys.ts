/**
 * Keys of a shot, wherever they belong: of animated bodies, and of the channels of bodies, fields and shared falloffs.
 */
import type { ShotDocument } from "../api/types";

export interface KeyRef {
  /** what the key belongs to: "body NAME", "group NAME", "field NAME" or "falloff NAME" */
  lane: string;
  /** the number it sets; empty for a body's place */
  of: string;
  time: number;
}

interface Timed {
  time: number;
}

/** What stands on a lane as one: a key, or those of a vector's three numbers at one time. */
export interface Peg {
  lane: string;
  of: string;
  time: number;
  keys: KeyRef[];
}

export const keyId = (k: KeyRef): string => `${k.lane}|${k.of}|${k.time}`;

/** Every list of keys, by lane and number. */
function lists(document: ShotDocument): { lane: string; of: string; keys: Timed[] }[] {
  return [
    ...document.bodies.flatMap((b) =>
      b.motion ? [{ lane: `body ${b.name}`, of: "", keys: b.motion.keys as Timed[] }] : [],
    ),
    ...document.bodies.flatMap((b) =>
      (b.channels ?? []).map((c) => ({ lane: `body ${b.name}`, of: c.of, keys: c.keys as Timed[] })),
    ),
    ...(document.groups ?? []).flatMap((g) =>
      (g.body.channels ?? []).map((c) => ({ lane: `group ${g.name}`, of: c.of, keys: c.keys as Timed[] })),
    ),
    ...document.fields.flatMap((f) =>
      (f.channels ?? []).map((c) => ({ lane: `field ${f.name}`, of: c.of, keys: c.keys as Timed[] })),
    ),
    ...(document.falloffs ?? []).flatMap((f) =>
      (f.channels ?? []).map((c) => ({ lane: `falloff ${f.name}`, of: c.of, keys: c.keys as Timed[] })),
    ),
  ];
}

export const keysOf = (document: ShotDocument): KeyRef[] =>
  lists(document).flatMap(({ lane, of, keys }) => keys.map((k) => ({ lane, of, time: k.time })));

/** Give keys new times, in place; a key that lands on another takes its place. Returns the keys as they are then. */
export function retime(document: ShotDocument, chosen: readonly KeyRef[], to: (time: number) => number): KeyRef[] {
  const ids = new Set(chosen.map(keyId));
  const out: KeyRef[] = [];
  for (const { lane, of, keys } of lists(document)) {
    const moved = keys.filter((k) => ids.has(keyId({ lane, of, time: k.time })));
    if (!moved.length) continue;
    const rest = keys.filter((k) => !moved.includes(k));
    for (const k of moved) k.time = Number(Math.max(0, to(k.time)).toFixed(4));
    const kept = new Map<number, Timed>();
    for (const k of [...rest, ...moved]) kept.set(k.time, k);
    keys.splice(0, keys.length, ...[...kept.values()].sort((a, b) => a.time - b.time));
    for (const k of moved) if (keys.includes(k)) out.push({ lane, of, time: k.time });
  }
  return out;
}

/** Take keys out, in place; a channel without keys goes, a body's last key stays. */
export function removeKeys(document: ShotDocument, chosen: readonly KeyRef[]): void {
  const ids = new Set(chosen.map(keyId));
  for (const { lane, of, keys } of lists(document)) {
    const left = keys.filter((k) => !ids.has(keyId({ lane, of, time: k.time })));
    keys.splice(0, keys.length, ...(left.length || of ? left : keys.slice(0, 1)));
  }
  for (const part of [
    ...document.fields,
    ...(document.falloffs ?? []),
    ...document.bodies,
    ...(document.groups ?? []).map((g) => g.body),
  ])
    part.channels = (part.channels ?? []).filter((c) => c.keys.length);
}

/** Copies of keys, whole. */
export function copyKeys(
  document: ShotDocument,
  chosen: readonly KeyRef[],
): { lane: string; of: string; key: Timed }[] {
  const ids = new Set(chosen.map(keyId));
  return lists(document).flatMap(({ lane, of, keys }) =>
    keys
      .filter((k) => ids.has(keyId({ lane, of, time: k.time })))
      .map((key) => ({ lane, of, key: structuredClone(key) })),
  );
}

/** Put copies back with the first of them at a time, in place. Returns the new keys. */
export function pasteKeys(
  document: ShotDocument,
  copies: readonly { lane: string; of: string; key: Timed }[],
  at: number,
): KeyRef[] {
  if (!copies.length) return [];
  const shift = at - Math.min(...copies.map((c) => c.key.time));
  const out: KeyRef[] = [];
  for (const { lane, of, keys } of lists(document)) {
    for (const c of copies.filter((x) => x.lane === lane && x.of === of)) {
      const key = { ...structuredClone(c.key), time: Number((c.key.time + shift).toFixed(4)) };
      const here = keys.findIndex((k) => Math.abs(k.time - key.time) < 1e-4);
      if (here >= 0) keys[here] = key;
      else keys.push(key);
      out.push({ lane, of, time: key.time });
    }
    keys.sort((a, b) => a.time - b.time);
  }
  return out;
}

const vectorOf = (of: string): string => of.replace(/\.[012]$/, "");

/** Keys of one lane as pegs: the three numbers of a vector that are keyed at one time are one. */
export function pegsOf(keys: readonly KeyRef[]): Peg[] {
  const found = new Map<string, Peg>();
  for (const key of keys) {
    const of = vectorOf(key.of);
    const id = `${of}|${key.time}`;
    const peg = found.get(id);
    if (peg) peg.keys.push(key);
    else found.set(id, { lane: key.lane, of, time: key.time, keys: [key] });
  }
  return [...found.values()].map((p) => (p.keys.length === 1 ? { ...p, of: p.keys[0]!.of } : p));
}
