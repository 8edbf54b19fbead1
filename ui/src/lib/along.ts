/** What goes along when a body is moved or made anew: what holds and weighs it, and the shape it opens in. */
import type { Body, ShotDocument } from "../api/types";
import { back, multiply, turn, type Quat, type Vec } from "./rotation";

type Reach = { layers?: { shape: object }[]; use?: string | null };
const tidy = (x: number): number => Number(x.toFixed(6));
const same = (a: unknown, b: unknown): boolean => JSON.stringify(a) === JSON.stringify(b);

/** Falloffs of a body that stand in the world about it. */
const reachesOf = (body: Body): Reach[] =>
  [
    ...body.pins.map((p) => p.reach),
    ...body.recall.map((r) => r.reach),
    ...body.weights.map((w) => w.reach),
    ...(body.bonds?.by_reach ? [body.bonds.by_reach.reach] : []),
  ] as Reach[];

/** Move the falloffs of a body as it was moved, in place. */
function carry(body: Body, before: Body["place"]): void {
  const now = body.place;
  const spun = multiply(now.rotation as Quat, back(before.rotation as Quat));
  const size = (now.scale as Vec).map((s, k) => s / (before.scale as Vec)[k]!) as Vec;
  const moved = (at: Vec): Vec => {
    const own = turn(back(before.rotation as Quat), at.map((x, k) => x - before.position![k]!) as Vec);
    return turn(now.rotation as Quat, own.map((x, k) => x * size[k]!) as Vec).map((x, k) =>
      tidy(x + now.position![k]!),
    ) as Vec;
  };
  for (const reach of reachesOf(body))
    for (const { shape } of reach.use ? [] : (reach.layers ?? [])) {
      const own = shape as { center?: Vec; rotation?: Quat; normal?: Vec; ride?: string | null };
      if (!own.center || own.ride) continue;
      own.center = moved(own.center);
      if (own.rotation) own.rotation = multiply(spun, own.rotation).map(tidy) as Quat;
      if (own.normal) own.normal = turn(spun, own.normal).map(tidy) as Vec;
    }
}

/** All that decides how many vertices a body has and which. */
function vertices(body: Body): unknown {
  const matter = body.matter as { kind: string; detail?: number; tear?: unknown; breaks?: unknown };
  const tears = [matter.tear, matter.breaks].map((x) => x !== null && x !== undefined);
  return [body.shape, body.steps, body.pattern, body.breaks, matter.kind, matter.detail, tears];
}

/**
 * Do to a document what an edit of its bodies brings with it, in place. Returns names of bodies that open as they are
 * made again, because the shape they had settled in was of other vertices.
 */
export function bringAlong(before: ShotDocument, now: ShotDocument): string[] {
  const old = new Map((before.bodies as Body[]).map((b) => [b.name, b]));
  const lost: string[] = [];
  for (const body of now.bodies as Body[]) {
    const was = old.get(body.name);
    if (!was || (body.matter?.kind ?? "rigid") === "rigid") continue;
    if (!same(was.place, body.place) && same(reachesOf(was), reachesOf(body))) carry(body, was.place);
    if (body.opening && same(was.opening, body.opening) && !same(vertices(was), vertices(body))) {
      body.opening = null;
      lost.push(body.name);
    }
  }
  return lost;
}
