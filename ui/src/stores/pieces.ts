/** Built pieces of bodies and of groups' bodies: geometry by content key, figures by name; and where members stand. */
import { defineStore } from "pinia";
import { ref, shallowReactive } from "vue";
import { api, ApiError } from "../api/client";
import type { Packed } from "../api/packed";
import type { Body, BuiltBody, ShotDocument } from "../api/types";
import { buildKey, filled } from "../lib/document";
import type { SeamTable } from "../lib/seams";
import { thingsOf, type Thing } from "./shot";

const ASK_AGAIN = 250;

interface Entry {
  text: string;
  figures: BuiltBody;
}

export interface Progress {
  share: number;
  left: number | null;
}

const pause = (ms: number): Promise<void> => new Promise((done) => setTimeout(done, ms));

export const usePieces = defineStore("pieces", () => {
  /** Figures of every body and group as last built, with what they were built from. */
  const built = shallowReactive(new Map<string, Entry>());
  const errors = shallowReactive(new Map<string, string>());
  const progress = shallowReactive(new Map<string, Progress>());
  /** bodies whose build was stopped, as their settings are now */
  const stopped = shallowReactive(new Map<string, true>());
  const members = shallowReactive(new Map<string, Packed>());
  const weights = shallowReactive(new Map<string, Float32Array>());
  const weighedFor = new Map<string, string>();
  /** edges of collision shapes, in the body's frame relative to the pieces' centres */
  const shapes = shallowReactive(new Map<string, { edges: Float32Array; piece: Int32Array; count: number }>());
  const shapedFor = new Map<string, string>();
  const strengths = shallowReactive(new Map<string, Float32Array>());
  /** seams of bodies that deform, and what they bore where these came to rest [kN] */
  const seams = shallowReactive(new Map<string, SeamTable>());
  const seamLoads = shallowReactive(new Map<string, readonly number[]>());
  const seamsFor = new Map<string, string>();
  const version = ref(0);
  const asItIs = new Map<string, Packed>();
  const geometry = new Map<string, Packed>();
  const keys = new Map<string, BuiltBody>();
  const asked = new Map<string, { text: string; body: Body }>();
  const standing = new Map<string, string>();
  const strengthOf = new Map<string, string>();
  let falloffs: ShotDocument["falloffs"] | undefined;

  async function fetchGeometry(key: string): Promise<Packed> {
    let found = geometry.get(key);
    if (!found) {
      found = await api.pieces(key);
      geometry.set(key, found);
    }
    return found;
  }

  /** A body's figures, built by the server if need be; tells how far a long build is. */
  async function build(
    body: Body,
    told?: (p: Progress) => void,
    wanted: () => boolean = () => true,
  ): Promise<BuiltBody | null> {
    for (;;) {
      const out = await api.build(body);
      if (out.built) {
        keys.set(buildKey(body), out.built);
        return out.built;
      }
      if (wanted()) told?.({ share: out.share, left: out.left });
      await pause(ASK_AGAIN);
      if (!wanted()) return null;
    }
  }

  /** Geometry of a body as described. */
  async function ofBody(body: Body): Promise<{ figures: BuiltBody; packed: Packed }> {
    const figures = keys.get(buildKey(body)) ?? (await build(body))!;
    return { figures, packed: await fetchGeometry(figures.key) };
  }

  function forget(names: Set<string>): void {
    for (const map of [
      built,
      errors,
      progress,
      stopped,
      members,
      strengths,
      weights,
      seams,
      seamLoads,
      seamsFor,
      shapes,
      shapedFor,
      weighedFor,
      standing,
      strengthOf,
      asItIs,
    ] as Map<string, unknown>[])
      for (const name of [...map.keys()]) if (!names.has(name)) map.delete(name);
  }

  /** A thing whose body holds what the shared falloffs it uses say. */
  function whole(thing: Thing): Thing {
    return { ...thing, body: filled(thing.body, falloffs, !thing.group) };
  }

  async function updateOne(thing: Thing): Promise<void> {
    const { name, body } = thing;
    const { bonds, material, place, matter } = body;
    const text = JSON.stringify([buildKey(body), bonds, material.density, material.mass, place, matter]);
    const before = asked.get(name);
    if (before?.text === text && (built.has(name) || errors.has(name) || progress.has(name))) return;
    const own = { text, body };
    asked.set(name, own);
    stopped.delete(name);
    if (before && progress.has(name) && buildKey(before.body) !== buildKey(body))
      void api.cancelBuild(before.body).catch(() => undefined);
    const wanted = (): boolean => asked.get(name) === own;
    try {
      const figures = await build(body, (p) => wanted() && progress.set(name, p), wanted);
      if (!figures || !wanted()) return;
      await fetchGeometry(figures.key);
      if (!wanted()) return;
      progress.delete(name);
      built.set(name, { text: buildKey(body), figures });
      errors.delete(name);
      version.value++;
    } catch (error) {
      if (!wanted()) return;
      progress.delete(name);
      errors.set(name, error instanceof ApiError ? error.message : String(error));
      if (!(error instanceof ApiError)) throw error;
      if (error.status === 0 || error.status === 503) asked.delete(name);
      else await showAsIs(thing, wanted);
    }
  }

  /** A mesh that cannot be used is still seen, so that its defects can be. */
  async function showAsIs(thing: Thing, wanted: () => boolean): Promise<void> {
    built.delete(thing.name);
    try {
      const mesh = await api.mesh(thing.body);
      if (wanted()) {
        asItIs.set(thing.name, mesh);
        version.value++;
      }
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
    }
  }

  async function updateMembers(thing: Thing, document: ShotDocument): Promise<void> {
    const over =
      thing.group!.layout.kind === "surface"
        ? document.bodies.find((b) => b.name === (thing.group!.layout as { body?: string | null }).body)
        : null;
    const text = JSON.stringify([thing.group, over, document.ground]);
    if (standing.get(thing.name) === text) return;
    standing.set(thing.name, text);
    try {
      const found = await api.members(document, thing.name);
      if (standing.get(thing.name) !== text) return;
      members.set(thing.name, found);
      version.value++;
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      if (standing.get(thing.name) === text) errors.set(thing.name, error.message);
    }
  }

  /** Bring all pieces up to date; later calls win over earlier ones. */
  async function update(document: ShotDocument): Promise<void> {
    falloffs = document.falloffs;
    const things = thingsOf(document).map(whole);
    forget(new Set(things.map((t) => t.name)));
    await Promise.all(things.flatMap((t) => [updateOne(t), ...(t.group ? [updateMembers(t, document)] : [])]));
  }

  /** Stop a long build; the settings stay as they are, and it is not asked for again: that would begin it anew. */
  async function cancel(name: string): Promise<void> {
    const own = asked.get(name);
    if (!own || !progress.has(name)) return;
    asked.set(name, { ...own }); // nobody waits for what is under way any more
    stopped.set(name, true);
    progress.delete(name);
    errors.set(name, `breaking ${name} was stopped; its settings are kept`);
    await api.cancelBuild(own.body);
  }

  /** Build what was stopped after all. */
  async function goOn(thing: Thing): Promise<void> {
    asked.delete(thing.name);
    errors.delete(thing.name);
    await updateOne(whole(thing));
  }

  /** Strength [kN] of every bond of a body as it is set now. */
  async function loadStrengths(of: Thing): Promise<void> {
    const thing = whole(of);
    const text = JSON.stringify([buildKey(thing.body), thing.body.bonds, thing.body.place]);
    if (strengthOf.get(thing.name) === text || !thing.body.bonds || !thing.body.pattern) return;
    strengthOf.set(thing.name, text);
    const found = await api.bonds(thing.body);
    if (strengthOf.get(thing.name) === text) strengths.set(thing.name, found.strength as Float32Array);
  }

  /** Edges of what a body collides as. */
  async function loadShapes(of: Thing): Promise<void> {
    const thing = whole(of);
    const text = JSON.stringify([
      buildKey(thing.body),
      thing.body.collision,
      (thing.body.matter as { detail?: number }).detail,
    ]);
    if (shapedFor.get(thing.name) === text) return;
    shapedFor.set(thing.name, text);
    try {
      const found = (await api.collision(thing.body)) as unknown as {
        edges: Float32Array;
        piece: Int32Array;
        shapes: Int32Array;
      };
      if (shapedFor.get(thing.name) === text)
        shapes.set(thing.name, { edges: found.edges, piece: found.piece, count: found.shapes[0]! });
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      shapes.delete(thing.name);
    }
  }

  /** Load by own weight over strength of every bond, at the start. */
  async function loadWeights(thing: Thing, document: ShotDocument): Promise<void> {
    if (!thing.body.bonds || !thing.body.pattern) return;
    const text = JSON.stringify([whole(thing).body, document.fields, document.gravity]);
    if (weighedFor.get(thing.name) === text) return;
    weighedFor.set(thing.name, text);
    const { load, strength } = (await api.loads(document, thing.name)) as Record<string, Float32Array>;
    if (weighedFor.get(thing.name) === text)
      weights.set(
        thing.name,
        load!.map((l, b) => (strength![b]! > 0 ? l / strength![b]! : 0)),
      );
  }

  /** Seams of a body that deforms, as they are set now. */
  async function loadSeams(of: Thing, document: ShotDocument): Promise<void> {
    const { body } = of;
    if (!body.bonds || !body.pattern || body.matter.kind === "rigid") return void seams.delete(of.name);
    const key = JSON.stringify({ ...whole(of).body, opening: null });
    if (seamsFor.get(of.name) === key) return;
    seamsFor.set(of.name, key);
    try {
      const found = (await api.seams(document, of.name)) as unknown as SeamTable;
      if (seamsFor.get(of.name) !== key) return;
      if (seamLoads.get(of.name)?.length !== found.strength.length) seamLoads.delete(of.name);
      seams.set(of.name, found);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      seams.delete(of.name); // what is wrong with the body is said where it is
    }
  }

  function packedOf(name: string): Packed | undefined {
    const entry = built.get(name);
    return entry ? geometry.get(entry.figures.key) : errors.has(name) ? asItIs.get(name) : undefined;
  }

  return {
    built,
    errors,
    progress,
    members,
    strengths,
    weights,
    shapes,
    loadShapes,
    version,
    update,
    ofBody,
    cancel,
    stopped,
    goOn,
    loadStrengths,
    loadWeights,
    loadSeams,
    seams,
    seamLoads,
    packedOf,
  };
});
