/** Numbers over time: the same curves as the core's channels. */
import type { FieldItem } from "../api/types";
import { bezierShare, easedSlopes } from "./motion";
import { setAt } from "./specs";

export type Channel = Required<NonNullable<FieldItem["channels"]>[number]>;
export type NumberKey = Required<Channel["keys"][number]>;

/** What a channel's number is at a time [s]. */
export function numberAt(channel: Channel, time: number): number {
  const keys = channel.keys as NumberKey[];
  let k = keys.length - 1;
  while (k > 0 && keys[k]!.time > time) k--;
  const here = keys[k]!;
  const there = keys[k + 1];
  if (!there || time <= here.time || here.how === "step") return here.value;
  const h = there.time - here.time;
  const s = (time - here.time) / h;
  if (here.how === "smooth") {
    const slopes = easedSlopes(
      keys.map((x) => x.time),
      keys.map((x) => x.value),
    );
    return (
      (1 + 2 * s) * (1 - s) ** 2 * here.value +
      s * (1 - s) ** 2 * slopes[k]! * h +
      s * s * (3 - 2 * s) * there.value +
      s * s * (s - 1) * slopes[k + 1]! * h
    );
  }
  return (
    here.value +
    (here.how === "bezier" ? bezierShare(here.curve as [number, number, number, number], s) : s) *
      (there.value - here.value)
  );
}

/** A thing with its keyed numbers as they are at a time [s]. */
export function keyedAt<T extends { channels?: unknown }>(of: T, time: number): T {
  const channels = (of.channels ?? []) as Channel[];
  if (!channels.length) return of;
  const out = structuredClone(of);
  for (const channel of channels) setAt(out, channel.of, numberAt(channel, time));
  return out;
}

/** Channels with a number keyed at a time: the key there changed, or one more, or a new channel. */
export function withNumber(
  channels: readonly Channel[],
  of: string,
  time: number,
  fps: number,
  value: number,
): Channel[] {
  const out = structuredClone(channels) as Channel[];
  let channel = out.find((c) => c.of === of);
  if (!channel) out.push((channel = { of, keys: [] }));
  const at = channel.keys.findIndex((k) => Math.abs(k.time - time) < 0.5 / fps);
  if (at >= 0) (channel.keys[at] as NumberKey).value = value;
  else channel.keys.push({ time: Number(time.toFixed(4)), value, how: "smooth", curve: [0.4, 0, 0.6, 1] });
  channel.keys.sort((a, b) => a.time - b.time);
  return out;
}

/** As `withNumber`; a channel that begins so, later than the start, has its number until then as a key at the start. */
export function withMove(
  channels: readonly Channel[],
  of: string,
  time: number,
  fps: number,
  value: number,
  before: number,
): Channel[] {
  const fresh = !channels.some((c) => c.of === of) && time > 0.5 / fps;
  return withNumber(fresh ? withNumber(channels, of, 0, fps, before) : channels, of, time, fps, value);
}

/** Channels without the key at a time; a channel without keys goes. */
export function withoutNumber(channels: readonly Channel[], of: string, time: number, fps: number): Channel[] {
  return (structuredClone(channels) as Channel[])
    .map((c) => (c.of === of ? { ...c, keys: c.keys.filter((k) => Math.abs(k.time - time) >= 0.5 / fps) } : c))
    .filter((c) => c.keys.length > 0);
}
