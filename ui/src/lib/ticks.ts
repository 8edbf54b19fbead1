/** Round numbers for an axis. */

/** At most ``most`` round numbers between two, evenly apart by 1, 2 or 5 of a power of ten. */
export function roundTicks(from: number, to: number, most: number): number[] {
  const raw = (to - from) / Math.max(1, most);
  if (!(raw > 0)) return [];
  const power = 10 ** Math.floor(Math.log10(raw));
  const step = [1, 2, 5, 10].map((k) => k * power).find((s) => s >= raw * (1 - 1e-9))!;
  const first = Math.ceil(from / step - 1e-9);
  const count = Math.floor(to / step + 1e-9) - first + 1;
  return Array.from({ length: Math.max(0, count) }, (_, k) => Number(((first + k) * step).toPrecision(12)));
}
