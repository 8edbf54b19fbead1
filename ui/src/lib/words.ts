/** What the document's own description says of its parts: the same sentence here, in the schema and in the docs. */
import words from "../api/words.json";

const WORDS: Record<string, Record<string, string>> = words;

/** The sentence about a key of a part, as "Layer.opacity". */
export function say(path: string): string {
  const [part, key] = path.split(".") as [string, string];
  const found = WORDS[part]?.[key];
  if (!found) throw new Error(`the document says nothing of ${path}`);
  return found;
}

/** Rows with what the document says of them, where they have no hint of their own. */
export function told<T extends { key: string; hint?: string }>(part: string, rows: readonly T[]): T[] {
  return rows.map((row) => ({ ...row, hint: row.hint ?? WORDS[part]?.[row.key.split(".")[0]!] }));
}
