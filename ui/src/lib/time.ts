/** Times as people say them. */

const STEPS: [number, string][] = [
  [60, "min"],
  [24, "h"],
  [7, "d"],
];

/** How long ago, shortly: "now", "5 min", "3 h", "2 d", or the date. */
export function ago(text: string, now = Date.now()): string {
  let value = (now - Date.parse(text)) / 60_000;
  if (value < 1) return "now";
  for (const [size, word] of STEPS) {
    if (value < size) return `${Math.floor(value)} ${word}`;
    value /= size;
  }
  return new Date(text).toLocaleDateString("en-GB", { day: "numeric", month: "short" });
}
