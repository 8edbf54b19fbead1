/** One edit done to several things alike: what it changed in the first is changed in the others, and nothing else. */

/** parts that are told whole: half of another's is none */
const WHOLE = new Set(["rotation", "angles", "normal", "axis", "direction"]);
/** what is a thing's own: its name, and where it goes by its keys */
const OWN = new Set(["name", "motion"]);

type Part = Record<string, unknown>;
const isPart = (x: unknown): x is Part => typeof x === "object" && x !== null;
const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

/** The paths at which two parts differ, each with what stands there after. */
function changes(before: unknown, after: unknown, path: string[] = []): { path: string[]; value: unknown }[] {
  if (same(before, after) || OWN.has(path.at(-1) ?? "")) return [];
  const lists = Array.isArray(before) && Array.isArray(after);
  // parts put into or taken out of a list are the one's own
  if (lists && before.length !== after.length && [...before, ...after].some(isPart)) return [];
  const inside =
    isPart(before) &&
    isPart(after) &&
    !WHOLE.has(path.at(-1) ?? "") &&
    before.kind === after.kind &&
    before.use === after.use && // of falloffs: what is shared has no layers of its own
    Array.isArray(before) === Array.isArray(after) &&
    (!lists || before.length === after.length);
  if (!inside) return [{ path, value: after }];
  const keys = new Set([...Object.keys(before), ...Object.keys(after)]);
  return [...keys].flatMap((k) => changes((before as Part)[k], (after as Part)[k], [...path, k]));
}

interface Channel {
  of: string;
}

/** Channels of numbers, that are keyed alike each for itself. */
function changeChannels(before: readonly Channel[], after: readonly Channel[], other: Part): void {
  const own = new Map(((other.channels ?? []) as Channel[]).map((c) => [c.of, c]));
  const old = new Map(before.map((c) => [c.of, c]));
  for (const c of after) if (!same(old.get(c.of), c)) own.set(c.of, structuredClone(c));
  for (const of of old.keys()) if (!after.some((c) => c.of === of)) own.delete(of);
  other.channels = [...own.values()];
}

/** Change others, in place, as one was; where another has no such part, or one of another kind, it is left alone. */
export function changeAlike(before: object, after: object, others: readonly object[]): void {
  const keyed = (of: object): Channel[] => ((of as Part).channels ?? []) as Channel[];
  const channels = !same(keyed(before), keyed(after));
  if (channels) for (const other of others) changeChannels(keyed(before), keyed(after), other as Part);
  for (const { path, value } of changes(before, after)) {
    if (path[0] === "channels") continue;
    for (const other of others) {
      let [at, own]: [unknown, unknown] = [other, after];
      for (const step of path.slice(0, -1)) {
        at = isPart(at) ? at[step] : undefined;
        own = (own as Part)[step];
        if (!isPart(at) || at.kind !== (own as Part).kind) at = undefined;
      }
      const last = path.at(-1);
      if (last !== undefined && isPart(at)) at[last] = structuredClone(value);
    }
  }
}

/** The words of the parts in which things differ, to be said. */
export function differing(things: readonly object[]): string[] {
  const found = new Set<string>();
  for (const other of things.slice(1))
    for (const { path } of changes(things[0]!, other)) found.add(path.find((p) => p !== "place") ?? "");
  return [...found].filter(Boolean);
}
