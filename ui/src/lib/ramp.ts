/** Colours for values: a perceptually even ramp of our own, and a fixed colour per piece. */

const STOPS: [number, number, number][] = [
  [0.17, 0.2, 0.33],
  [0.16, 0.35, 0.47],
  [0.15, 0.51, 0.52],
  [0.31, 0.66, 0.5],
  [0.6, 0.77, 0.45],
  [0.89, 0.83, 0.45],
  [0.99, 0.66, 0.36],
  [0.98, 0.44, 0.27],
];

export type Rgb = [number, number, number];

/** Colour (linear steps between stops, sRGB 0–1) at t in 0–1. */
export function ramp(t: number): Rgb {
  const x = Math.max(0, Math.min(1, t)) * (STOPS.length - 1);
  const i = Math.min(STOPS.length - 2, Math.floor(x));
  const f = x - i;
  return [0, 1, 2].map((k) => STOPS[i]![k]! * (1 - f) + STOPS[i + 1]![k]! * f) as Rgb;
}

export const RAMP_CSS = `linear-gradient(90deg, ${STOPS.map((s) => `rgb(${s.map((c) => Math.round(c * 255)).join(" ")})`).join(", ")})`;

/** Colour (sRGB 0–1) at t in 0–1 between some colours. */
export function between(stops: readonly string[], t: number): Rgb {
  const x = Math.max(0, Math.min(1, t)) * (stops.length - 1);
  const i = Math.min(stops.length - 2, Math.floor(x));
  const [a, b] = [hexColor(stops[i]!), hexColor(stops[i + 1]!)];
  return [0, 1, 2].map((k) => a[k]! + (x - i) * (b[k]! - a[k]!)) as Rgb;
}

/** A steady pseudo-random number 0–1 for an index. */
export function steady(index: number, salt = 0): number {
  let h = (index * 374761393 + salt * 668265263) >>> 0;
  h = Math.imul(h ^ (h >>> 13), 1274126177) >>> 0;
  return ((h ^ (h >>> 16)) >>> 0) / 4294967296;
}

/** A muted colour of its own for every piece: greens over blues to rose, never ember, which means breaking. */
export function pieceColor(index: number): Rgb {
  const hue = 0.33 + 0.55 * steady(index, 1);
  const light = 0.5 + 0.2 * steady(index, 2);
  const sat = 0.26;
  const f = (n: number): number => {
    const k = (n + hue * 12) % 12;
    return light - sat * Math.min(light, 1 - light) * Math.max(-1, Math.min(k - 3, 9 - k, 1));
  };
  return [f(0), f(8), f(4)];
}

export function hexColor(hex: string): Rgb {
  return [1, 3, 5].map((k) => parseInt(hex.slice(k, k + 2), 16) / 255) as Rgb;
}
