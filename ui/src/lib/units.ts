/** Numbers as people type them: arithmetic, units of length, angle, time and force. */

const UNITS: Record<string, Record<string, number>> = {
  m: { m: 1, cm: 0.01, mm: 0.001, km: 1000, ft: 0.3048, in: 0.0254, yd: 0.9144 },
  "°": { "°": 1, deg: 1, rad: 180 / Math.PI },
  "": { "%": 0.01 },
  "×": { "×": 1, "%": 0.01 },
  s: { s: 1, ms: 0.001, min: 60 },
  kN: { kN: 1, N: 0.001, MN: 1000 },
  "kN/m²": { "kN/m²": 1, kPa: 1, MPa: 1000 },
  "m/s": { "m/s": 1, "km/h": 1 / 3.6, "ft/s": 0.3048 },
  N: { N: 1, kN: 1000 },
  "kg/m³": { "kg/m³": 1 },
  kg: { kg: 1, g: 0.001, t: 1000, ton: 1000, lb: 0.45359237 },
};

/** Times may be typed in frames too ("20 f"), of the shot that is open. */
export function setFrameRate(fps: number): void {
  UNITS.s!.f = 1 / fps;
}
setFrameRate(24);

class Reader {
  private at = 0;
  private readonly text: string;
  private readonly units: Record<string, number>;

  constructor(text: string, unit: string) {
    this.text = text.replace(/,/g, ".").trim();
    this.units = UNITS[unit] ?? {};
  }

  private skip(): void {
    while (this.text[this.at] === " ") this.at++;
  }

  private take(symbols: string): string | null {
    this.skip();
    const c = this.text[this.at];
    if (c !== undefined && symbols.includes(c)) {
      this.at++;
      return c;
    }
    return null;
  }

  private factor(): number {
    const sign = this.take("+-");
    if (sign) return sign === "-" ? -this.factor() : this.factor();
    if (this.take("(")) {
      const inner = this.sum();
      if (!this.take(")")) throw new Error("a bracket is not closed");
      return this.scaled(inner);
    }
    this.skip();
    const match = /^\d*\.?\d+(?:[eE][+-]?\d+)?/.exec(this.text.slice(this.at));
    if (!match) throw new Error("a number is missing");
    this.at += match[0].length;
    return this.scaled(Number(match[0]));
  }

  private scaled(value: number): number {
    this.skip();
    const rest = this.text.slice(this.at);
    for (const [name, size] of Object.entries(this.units).sort((a, b) => b[0].length - a[0].length)) {
      if (rest.startsWith(name) && !/[A-Za-z²³]/.test(rest[name.length] ?? "")) {
        this.at += name.length;
        return value * size;
      }
    }
    return value;
  }

  private product(): number {
    let value = this.factor();
    for (let op = this.take("*/"); op; op = this.take("*/"))
      value = op === "*" ? value * this.factor() : value / this.factor();
    return value;
  }

  private sum(): number {
    let value = this.product();
    for (let op = this.take("+-"); op; op = this.take("+-"))
      value = op === "+" ? value + this.product() : value - this.product();
    return value;
  }

  read(): number {
    const value = this.sum();
    this.skip();
    if (this.at < this.text.length) throw new Error(`'${this.text.slice(this.at)}' is not understood`);
    if (!Number.isFinite(value)) throw new Error("that is not a number");
    return Number(value.toPrecision(12)); // what was typed, without the last digits of binary sums
  }
}

/** The value of typed text in `unit`; throws an Error with a sentence. */
export function readNumber(text: string, unit: string): number {
  return new Reader(text, unit).read();
}

/** A number short enough for a field, without trailing zeros. */
export function showNumber(value: number, digits = 4): string {
  if (value === 0) return "0";
  const size = Math.abs(value);
  if (size < 1e-3 && digits <= 3) return value > 0 ? "<0.001" : ">-0.001";
  if (size >= 1e6 || size < 1e-4) return value.toExponential(2);
  const places = Math.max(0, Math.min(6, digits - 1 - Math.floor(Math.log10(size))));
  return String(Number(value.toFixed(places)));
}

/** Mass with a readable unit. */
export function showMass(kg: number): string {
  return kg >= 1000 ? `${showNumber(kg / 1000, 3)} t` : `${showNumber(kg, 3)} kg`;
}

/** Seconds left, in words. */
export function showTime(seconds: number): string {
  if (seconds < 90) return `${Math.max(0, Math.round(seconds))} s`;
  return `${Math.floor(seconds / 60)} min ${Math.round(seconds % 60)} s`;
}

/** An energy with a fitting unit. */
export function showEnergy(joules: number): string {
  const size = Math.abs(joules);
  return size >= 1e9
    ? `${showNumber(joules / 1e9, 3)} GJ`
    : size >= 1e6
      ? `${showNumber(joules / 1e6, 3)} MJ`
      : size >= 1e3
        ? `${showNumber(joules / 1e3, 3)} kJ`
        : `${showNumber(joules, 3)} J`;
}

/** A length with a fitting unit. */
export function showLength(metres: number): string {
  return metres >= 1
    ? `${showNumber(metres, 3)} m`
    : metres >= 0.01
      ? `${showNumber(metres * 100, 2)} cm`
      : `${showNumber(metres * 1000, 2)} mm`;
}
