/** What the server would not take, put aside, so that everything else goes on being saved. */
import type { ShotDocument } from "../api/types";

export interface Refused {
  /** place in the document, as the server says it */
  where: string;
  message: string;
}

type Node = Record<string, unknown> | unknown[];

/** "fields[0].reach.layers[1].shape" as its steps. */
export const stepsOf = (where: string): (string | number)[] =>
  [...where.matchAll(/([^.[\]]+)|\[(\d+)\]/g)].map((m) => (m[2] === undefined ? m[1]! : Number(m[2])));

const nameOf = (x: unknown): unknown => (x as { name?: unknown } | null)?.name;

/** The same entry of another version of a list: by name where entries have names, else by its place. */
function twin(list: readonly unknown[], entry: unknown, at: number): unknown {
  return nameOf(entry) === undefined ? list[at] : list.find((x) => nameOf(x) === nameOf(entry));
}

/**
 * A document with one refused value as it was in the last good one. Where the good one has no such thing the whole
 * entry it stands in (a body, a field, a layer) is left out; null where even that is not possible.
 */
export function withoutRefused(document: ShotDocument, good: ShotDocument, where: string): ShotDocument | null {
  const steps = stepsOf(where);
  if (!steps.length) return null;
  const out = structuredClone(document);
  let own: Node = out as unknown as Node;
  let was: unknown = good;
  /** the innermost list entry on the way, to be left out as a whole */
  let entry: { list: unknown[]; at: number } | null = null;
  for (const [k, step] of steps.entries()) {
    const next: unknown = (own as Record<string | number, unknown>)[step];
    const before: unknown = Array.isArray(was)
      ? twin(was, next, step as number)
      : (was as Record<string, unknown> | undefined)?.[step];
    if (Array.isArray(own)) entry = { list: own, at: step as number };
    const kinds = [next, before].map((x) => (x as { kind?: unknown } | null)?.kind);
    const deepest = k === steps.length - 1 || typeof next !== "object" || next === null || kinds[0] !== kinds[1];
    if (before === undefined) break;
    if (deepest) {
      (own as Record<string | number, unknown>)[step] = structuredClone(before);
      return out;
    }
    own = next as Node;
    was = before;
  }
  if (!entry) return null;
  entry.list.splice(entry.at, 1);
  return out;
}

/** A place in a document as people say it: by the names of things, not their numbers. */
export function wordsOf(where: string, document: ShotDocument | null): string {
  const words: string[] = [];
  let at: unknown = document;
  for (const step of stepsOf(where)) {
    at = (at as Record<string | number, unknown> | undefined)?.[step];
    if (typeof step === "string") words.push(step);
    else if (nameOf(at) !== undefined) words.splice(-1, 1, String(nameOf(at)));
    else words.push(String(step + 1));
  }
  return words.join(", ");
}
