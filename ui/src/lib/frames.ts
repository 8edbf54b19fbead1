/**
 * Frames of a take as chunks in a cache bounded by bytes: what is looked at is fetched, what was not looked at for
 * longest makes room. The opening frame stays, since what moves is told from there.
 */
import type { Packed } from "../api/packed";

export interface ChunkRange {
  first: number;
  count: number;
}

/** Arrays of one frame by name: views into the chunk that holds it. */
export interface FrameData {
  index: number;
  pieces: number;
  arrays: Packed;
}

interface Held {
  range: ChunkRange;
  arrays: Packed;
  bytes: number;
}

export const MOST_BYTES = 192e6;

/** Numbers of each piece of an array that is of pieces: 3 of `position`; 0 where the frame has no such array. */
export function widthOf(frame: FrameData, name: string): number {
  return frame.pieces ? (frame.arrays[name]?.length ?? 0) / frame.pieces : 0;
}

export class FrameCache {
  /** frames there are, without a gap from 0, fetched or not */
  count = 0;
  pieces = 0;
  /** names of the arrays every frame has */
  names: ReadonlySet<string> = new Set();
  bytes = 0;
  private readonly ranges: ChunkRange[] = [];
  private readonly held = new Map<number, Held>(); // by first frame, the one used last at the end
  private readonly coming = new Map<number, Promise<void>>();
  private closed = false;
  private readonly fetch: (first: number) => Promise<Packed>;
  private readonly arrived: () => void;
  private readonly failed: (error: unknown) => void;
  private readonly mostBytes: number;

  constructor(
    fetch: (first: number) => Promise<Packed>,
    hooks: { arrived?: () => void; failed?: (error: unknown) => void } = {},
    mostBytes = MOST_BYTES,
  ) {
    this.fetch = fetch;
    this.arrived = hooks.arrived ?? (() => undefined);
    this.failed = hooks.failed ?? (() => undefined);
    this.mostBytes = mostBytes;
  }

  /** Tell of chunks that can be fetched; those known already are passed over. The first one is fetched at once. */
  async add(ranges: readonly ChunkRange[]): Promise<void> {
    for (const { first, count } of ranges)
      if (first === this.count) {
        this.ranges.push({ first, count });
        this.count = first + count;
      }
    const opening = this.ranges[0];
    if (!opening || this.held.has(opening.first)) return;
    await this.load(opening);
    const arrays = this.held.get(opening.first)?.arrays;
    if (!arrays) return;
    this.pieces = arrays.state!.length / opening.count;
    this.names = new Set(Object.keys(arrays));
    this.arrived();
  }

  /** Frame 0, once it is there. */
  get opening(): FrameData | null {
    return this.view(0);
  }

  /** A frame if it is held; else null, and it comes. What follows it is fetched ahead. */
  at(index: number): FrameData | null {
    const k = this.chunkOf(index);
    if (k < 0) return null;
    this.ask(this.ranges[k]!);
    if (this.ranges[k + 1]) this.ask(this.ranges[k + 1]!);
    return this.view(index);
  }

  close(): void {
    this.closed = true;
    this.held.clear();
    this.bytes = 0;
  }

  private chunkOf(index: number): number {
    let low = 0;
    let high = this.ranges.length - 1;
    while (low <= high) {
      const k = (low + high) >> 1;
      const { first, count } = this.ranges[k]!;
      if (index < first) high = k - 1;
      else if (index >= first + count) low = k + 1;
      else return k;
    }
    return -1;
  }

  private view(index: number): FrameData | null {
    const k = this.chunkOf(index);
    const chunk = k < 0 ? undefined : this.held.get(this.ranges[k]!.first);
    if (!chunk) return null;
    const arrays: Packed = {};
    for (const [name, values] of Object.entries(chunk.arrays)) {
      const each = values.length / chunk.range.count;
      const from = (index - chunk.range.first) * each;
      arrays[name] = values.subarray(from, from + each);
    }
    return { index, pieces: this.pieces || arrays.state!.length, arrays };
  }

  private ask(range: ChunkRange): void {
    const chunk = this.held.get(range.first);
    if (chunk) {
      this.held.delete(range.first);
      this.held.set(range.first, chunk);
      return;
    }
    if (this.coming.has(range.first)) return;
    void this.load(range).then(() => !this.closed && this.held.has(range.first) && this.arrived());
  }

  private load(range: ChunkRange): Promise<void> {
    const under = this.coming.get(range.first);
    if (under) return under;
    const done = this.fetch(range.first)
      .then((arrays) => {
        if (!this.closed) this.keep(range, arrays);
      })
      .catch((error: unknown) => {
        if (!this.closed) this.failed(error);
      })
      .finally(() => this.coming.delete(range.first));
    this.coming.set(range.first, done);
    return done;
  }

  private keep(range: ChunkRange, arrays: Packed): void {
    const bytes = Object.values(arrays).reduce((sum, a) => sum + a.byteLength, 0);
    this.held.set(range.first, { range, arrays, bytes });
    this.bytes += bytes;
    // the opening chunk stays, and of the others the two used last: the one shown and the one that follows it
    const others = [...this.held.keys()].filter((first) => first > 0);
    for (const first of others.slice(0, -2)) {
      if (this.bytes <= this.mostBytes) break;
      this.bytes -= this.held.get(first)!.bytes;
      this.held.delete(first);
    }
  }
}
