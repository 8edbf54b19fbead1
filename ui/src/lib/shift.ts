/** Parts of a document moved by a way [m], in place. */
import type { ShotDocument } from "../api/types";
import type { Vec } from "./rotation";

type Part<K extends "bodies" | "ties"> = ShotDocument[K][number];
const moved = (at: readonly number[], by: Vec): Vec => at.map((x, k) => Number((x + by[k]!).toFixed(4))) as Vec;

/** A body, or the body a group's members are copies of, with all its keys. */
export function shiftBody(body: Part<"bodies">, by: Vec): void {
  body.place!.position = moved(body.place!.position!, by);
  for (const key of body.motion?.keys ?? []) key.position = moved(key.position, by);
}

/** What a group's members are scattered in; null where they are laid out about its place. */
export function scatterOf(group: ShotDocument["groups"][number] | undefined): { center: readonly number[] } | null {
  const layout = group?.layout;
  if (layout?.kind !== "volume" && layout?.kind !== "surface") return null;
  return (layout.inside as { center: readonly number[] } | null) ?? null;
}

/** Both ends of a tie. */
export function shiftTie(tie: Part<"ties">, by: Vec): void {
  tie.point = moved(tie.point, by);
  if (tie.to_point) tie.to_point = moved(tie.to_point, by);
}

/** Layers of a falloff that stand somewhere, and keys of where. */
export function shiftLayers(of: { layers?: { shape: object }[] | null }, by: Vec, channels: Channels = []): void {
  for (const { shape } of of.layers ?? []) {
    const own = shape as { center?: readonly number[] };
    if (own.center) own.center = moved(own.center, by);
  }
  for (const { of: number, keys } of channels) {
    const part = /layers\.\d+\.shape\.center\.([012])$/.exec(number);
    if (part) for (const key of keys) key.value = Number((key.value + by[Number(part[1])]!).toFixed(4));
  }
}
type Channels = readonly { of: string; keys: { value: number }[] }[];

/** One thing of a document by its kind and name; what is not there is left alone. */
export function shift(document: ShotDocument, kind: string, name: string, by: Vec): void {
  const named = <T extends { name: string }>(list: readonly T[]): T | undefined => list.find((x) => x.name === name);
  const inside = kind === "group" ? scatterOf(named(document.groups)) : null;
  if (inside) inside.center = moved(inside.center, by);
  const body = kind === "body" ? named(document.bodies) : kind === "group" ? named(document.groups)?.body : undefined;
  if (body) return shiftBody(body, by);
  const tie = kind === "tie" ? named(document.ties) : undefined;
  if (tie) return shiftTie(tie, by);
  const falloff = kind === "falloff" ? named(document.falloffs) : undefined;
  if (falloff) return shiftLayers(falloff, by, falloff.channels);
  const user = kind === "field" ? named(document.fields) : kind === "map" ? named(document.maps) : undefined;
  if (user) shiftLayers(user.reach, by, "channels" in user ? (user.channels ?? []) : []);
}
