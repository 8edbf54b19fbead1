/** Takes of the shot: baking, watching, and the frames of the one shown. */
import { defineStore } from "pinia";
import { computed, ref, shallowReactive, shallowRef, triggerRef } from "vue";
import { api, ApiError } from "../api/client";
import type { Chunk, ShotDocument, Take, TakeEvent } from "../api/types";
import { FrameCache } from "../lib/frames";

/** Milliseconds between looks at a bake that is watched, and at one in a tab behind others. */
const LOOK_AGAIN = 250;
const LOOK_HIDDEN = 1500;
const pause = (time: number): Promise<void> => new Promise((done) => setTimeout(done, time));

export const useTakes = defineStore("takes", () => {
  const list = ref<Take[]>([]);
  const current = ref<Take | null>(null);
  const document = shallowRef<ShotDocument | null>(null);
  const stateNames = ref<string[]>([]);
  /** frames of the take shown, once its opening is there; what is in it changes with `arrived` */
  const frames = shallowRef<FrameCache | null>(null);
  const arrived = ref(0);
  const stats = shallowRef<Record<string, number[]>>({});
  const events = shallowRef<TakeEvent[]>([]);
  const problem = ref("");
  /** why fields cannot act: a bake waits for the artist to mend them, or to go on without */
  const faulty = ref<string[]>([]);
  let run = 0;
  let cache: FrameCache | null = null;

  const baking = computed(() => list.value.find((t) => t.status === "baking" || t.status === "queued") ?? null);

  function put(take: Take): void {
    const at = list.value.findIndex((t) => t.id === take.id);
    if (at < 0) list.value.unshift(take);
    else list.value[at] = take;
    if (current.value?.id === take.id) current.value = take;
  }

  function close(): void {
    cache?.close();
    cache = null;
    run++;
  }

  function clear(): void {
    close();
    current.value = null;
    document.value = null;
    frames.value = null;
    stats.value = {};
    events.value = [];
    problem.value = "";
  }

  async function loadList(shot: string): Promise<void> {
    clear();
    list.value = (await api.takes(shot)).takes;
    if (list.value[0]) await open(list.value[0].id);
  }

  /** Show a take: its document, its frames so far, and those that come. */
  async function open(id: string): Promise<void> {
    close();
    const own = run;
    const whole = await api.take(id);
    if (own !== run) return;
    put(whole.take);
    current.value = whole.take;
    document.value = whole.document;
    stateNames.value = whole.state_names;
    frames.value = null;
    stats.value = {};
    events.value = [];
    problem.value = "";
    const mine = (cache = cacheOf(id));
    void follow(id, own, mine);
  }

  /**
   * Ask how a take goes on until it is over. Each time anew, so that no connection is held: a browser has few, for all
   * its tabs together.
   */
  async function follow(id: string, own: number, to: FrameCache): Promise<void> {
    let after = -1;
    let away = false;
    for (;;) {
      try {
        const now = await api.progress(id, after);
        if (own !== run) return;
        put(now.take);
        if (now.chunks.length) {
          after = now.chunks[now.chunks.length - 1]!.first;
          await append(id, own, to, now.chunks);
        }
        if (away) problem.value = "";
        away = false;
        if (now.take.status !== "baking" && now.take.status !== "queued") return;
      } catch (error) {
        if (own !== run) return;
        say(error);
        away = true;
        if (error instanceof ApiError && error.status >= 400 && error.status < 500) return;
      }
      await pause(globalThis.document.hidden ? LOOK_HIDDEN : LOOK_AGAIN);
      if (own !== run) return;
    }
  }

  function say(error: unknown): void {
    problem.value = error instanceof ApiError ? error.message : String(error);
  }

  function cacheOf(id: string): FrameCache {
    return new FrameCache((first) => api.chunk(id, first), { arrived: () => arrived.value++, failed: say });
  }

  async function append(id: string, own: number, to: FrameCache, chunks: Chunk[]): Promise<void> {
    await to.add(chunks);
    if (own !== run) return;
    if (to.opening) frames.value = to;
    const next = { ...stats.value };
    for (const chunk of chunks)
      for (const [name, values] of Object.entries(chunk.stats))
        next[name] = [...(next[name] ?? []).slice(0, chunk.first), ...values];
    stats.value = next;
    triggerRef(frames);
    if (own !== run || !chunks.length) return;
    const fresh = await api.events(id, chunks[0]!.first - 1);
    if (own !== run) return;
    const known = new Set(chunks.map((c) => c.first));
    const before = Math.min(...known);
    events.value = [...events.value.filter((e) => e.frame < before), ...fresh.events];
  }

  async function bake(shot: string, withoutFaulty = false): Promise<void> {
    problem.value = "";
    faulty.value = [];
    try {
      const take = await api.bake(shot, withoutFaulty);
      put(take);
      await open(take.id);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      if (error.problems.some((p) => /^fields\[\d+\]$/.test(p.where ?? "")))
        faulty.value = error.problems.map((p) => p.message ?? "");
      else problem.value = error.message;
    }
  }

  async function cancel(id: string): Promise<void> {
    put(await api.cancel(id));
  }

  async function goOn(id: string, frameCount: number | null): Promise<void> {
    put(await api.extend(id, frameCount));
    await open(id);
  }

  async function remove(id: string): Promise<void> {
    try {
      await api.deleteTake(id);
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      problem.value = error.message;
      return;
    }
    list.value = list.value.filter((t) => t.id !== id);
    documents.delete(id);
    if (current.value?.id === id) {
      clear();
      if (list.value[0]) await open(list.value[0].id);
    }
  }

  /** Bring back one that was deleted, and show it. */
  async function restore(id: string): Promise<void> {
    put(await api.restoreTake(id));
    list.value = [...list.value].sort((a, b) => b.number - a.number);
    await open(id);
  }

  async function describe(id: string, name: string, note: string): Promise<void> {
    put(await api.describeTake(id, name, note));
  }

  /** documents of takes that were looked at or compared, by their ids */
  const documents = shallowReactive(new Map<string, ShotDocument>());
  async function documentOf(id: string): Promise<ShotDocument> {
    const known = documents.get(id);
    if (known) return known;
    const found = await api.takeDocument(id);
    documents.set(id, found);
    return found;
  }

  return {
    restore,
    describe,
    documents,
    documentOf,
    list,
    current,
    document,
    stateNames,
    frames,
    arrived,
    stats,
    events,
    problem,
    faulty,
    baking,
    loadList,
    open,
    bake,
    cancel,
    goOn,
    remove,
    clear,
    close,
  };
});
