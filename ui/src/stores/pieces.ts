/** Built pieces of bodies: geometry by content key, figures by body name. */
import { defineStore } from "pinia";
import { ref, shallowReactive, shallowRef } from "vue";
import { api, ApiError } from "../api/client";
import type { Packed } from "../api/packed";
import type { Body, BuiltBody } from "../api/types";
import { buildKey } from "../lib/document";

interface Entry {
  text: string;
  figures: BuiltBody;
}

export const usePieces = defineStore("pieces", () => {
  /** Figures of every body as last built, with what they were built from. */
  const built = shallowReactive(new Map<string, Entry>());
  const errors = shallowReactive(new Map<string, string>());
  const busy = ref(0);
  const version = ref(0);
  const geometry = new Map<string, Packed>();
  const keys = new Map<string, BuiltBody>();
  const asked = shallowRef(new Map<string, string>());

  async function fetchGeometry(key: string): Promise<Packed> {
    let found = geometry.get(key);
    if (!found) {
      found = await api.pieces(key);
      geometry.set(key, found);
    }
    return found;
  }

  /** Geometry of a body as described, built by the server if need be. */
  async function ofBody(body: Body): Promise<{ figures: BuiltBody; packed: Packed }> {
    const text = buildKey(body);
    let figures = keys.get(text);
    if (!figures) {
      figures = await api.build(body);
      keys.set(text, figures);
    }
    return { figures, packed: await fetchGeometry(figures.key) };
  }

  /** Bring the bodies' pieces up to date; later calls win over earlier ones. */
  async function update(bodies: Body[]): Promise<void> {
    for (const name of [...built.keys()]) if (!bodies.some((b) => b.name === name)) built.delete(name);
    for (const name of [...errors.keys()]) if (!bodies.some((b) => b.name === name)) errors.delete(name);
    await Promise.all(
      bodies.map(async (body) => {
        const text = JSON.stringify([buildKey(body), body.bonds, body.material.density]);
        if (asked.value.get(body.name) === text && (built.has(body.name) || errors.has(body.name))) return;
        asked.value.set(body.name, text);
        busy.value++;
        try {
          const figures = await api.build(body);
          keys.set(buildKey(body), figures);
          await fetchGeometry(figures.key);
          if (asked.value.get(body.name) !== text) return;
          built.set(body.name, { text: buildKey(body), figures });
          errors.delete(body.name);
          version.value++;
        } catch (error) {
          if (asked.value.get(body.name) !== text) return;
          errors.set(body.name, error instanceof ApiError ? error.message : String(error));
          if (!(error instanceof ApiError)) throw error;
          if (error.status === 0) asked.value.delete(body.name);
        } finally {
          busy.value--;
        }
      }),
    );
  }

  function packedOf(name: string): Packed | undefined {
    const entry = built.get(name);
    return entry && geometry.get(entry.figures.key);
  }

  return { built, errors, busy, version, update, ofBody, packedOf };
});
