/** Fields and falloffs kept for other shots. */
import { defineStore } from "pinia";
import { shallowRef } from "vue";
import { api, ApiError } from "../api/client";
import type { LibraryItem } from "../api/types";
import { keepUnderName } from "../lib/replace";

export const useLibrary = defineStore("library", () => {
  const items = shallowRef<LibraryItem[]>([]);
  const problem = shallowRef("");

  async function told(work: () => Promise<unknown>): Promise<void> {
    problem.value = "";
    try {
      await work();
      items.value = (await api.library()).items;
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      problem.value = error.message;
    }
  }

  const load = (): Promise<void> => told(async () => undefined);

  /** Keep a field, with the shared falloffs it uses as layers of its own; or a falloff. */
  function keep(
    kind: LibraryItem["kind"],
    item: { name: string },
    falloffs: { name: string }[] = [],
    replace = false,
  ): Promise<void> {
    const own = structuredClone(item) as { name: string; reach?: { use?: string | null } };
    const used = own.reach?.use
      ? (falloffs.find((f) => f.name === own.reach!.use) as
          | { layers?: unknown; strength?: number; limits?: unknown }
          | undefined)
      : undefined;
    if (used) own.reach = { layers: used.layers, use: null, strength: used.strength, limits: used.limits } as never;
    const kept = { kind, name: item.name, item: own as unknown as Record<string, never> };
    return told(() => keepUnderName((sure) => api.keep(kept, sure), replace));
  }

  const drop = (item: LibraryItem): Promise<void> => told(() => api.drop(item));
  return { items, problem, load, keep, drop };
});
