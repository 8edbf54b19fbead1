/** The members of a group as bodies of their own. */
import type { Packed } from "../api/packed";
import type { Body, ShotDocument } from "../api/types";
import { freeName, renameIn } from "./document";
import type { Quat, Vec } from "./rotation";

/** members that become bodies at most: each is listed, and can be changed alone */
export const MOST_MEMBERS = 200;

/** In place; what named the group as a target names all of them, what rode on it rides on the first. Returns names. */
export function ungroup(document: ShotDocument, group: string, members: Packed): string[] {
  const own = document.groups.find((g) => g.name === group);
  if (!own) return [];
  const { position, rotation, factor } = members as Record<string, Float32Array>;
  const used = [...document.bodies, ...document.groups].map((x) => x.name);
  const names: string[] = [];
  for (let k = 0; k < factor!.length; k++) {
    const body = structuredClone(own.body) as Body;
    body.name = freeName(`${group} 1`, [...used, ...names]);
    names.push(body.name);
    const tidy = (x: number): number => Number(x.toFixed(5));
    body.place = {
      position: [...position!.subarray(k * 3, k * 3 + 3)].map(tidy) as Vec,
      rotation: [...rotation!.subarray(k * 4, k * 4 + 4)] as Quat,
      angles: null,
      scale: body.place.scale!.map((x) => tidy(x * factor![k]!)) as Vec,
    };
    document.bodies.push(body);
  }
  for (const x of [...document.fields, ...document.maps])
    if (Array.isArray(x.targets)) x.targets = x.targets.flatMap((t) => (t === group ? names : [t]));
  document.groups = document.groups.filter((g) => g.name !== group);
  if (names[0]) renameIn(document, group, names[0]);
  return names;
}
