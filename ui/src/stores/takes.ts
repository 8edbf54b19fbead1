/** Takes of the shot: baking, watching, and the frames of the one shown. */
import { defineStore } from "pinia";
import { computed, ref, shallowRef, triggerRef } from "vue";
import { api, ApiError } from "../api/client";
import type { Chunk, ShotDocument, Take, TakeEvent } from "../api/types";

export interface Frames {
  /** frames loaded so far, without a gap from 0 */
  count: number;
  pieces: number;
  position: Float32Array;
  orientation: Float32Array;
  state: Uint8Array;
  /** more numbers of pieces by name, several a piece where `wide` says so */
  maps: Record<string, Float32Array | Uint8Array>;
  wide: Record<string, number>;
}

export const useTakes = defineStore("takes", () => {
  const list = ref<Take[]>([]);
  const current = ref<Take | null>(null);
  const document = shallowRef<ShotDocument | null>(null);
  const stateNames = ref<string[]>([]);
  const frames = shallowRef<Frames | null>(null);
  const stats = shallowRef<Record<string, number[]>>({});
  const events = shallowRef<TakeEvent[]>([]);
  const problem = ref("");
  /** why fields cannot act: a bake waits for the artist to mend them, or to go on without */
  const faulty = ref<string[]>([]);
  let stream: EventSource | null = null;
  let run = 0;
  let queue: Promise<void> = Promise.resolve();

  const baking = computed(() => list.value.find((t) => t.status === "baking" || t.status === "queued") ?? null);

  function put(take: Take): void {
    const at = list.value.findIndex((t) => t.id === take.id);
    if (at < 0) list.value.unshift(take);
    else list.value[at] = take;
    if (current.value?.id === take.id) current.value = take;
  }

  function close(): void {
    stream?.close();
    stream = null;
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
    queue = Promise.resolve();
    const source = (stream = api.stream(id));
    source.addEventListener("take", (e) => put(JSON.parse((e as MessageEvent<string>).data) as Take));
    source.addEventListener("chunks", (e) => {
      const chunks = JSON.parse((e as MessageEvent<string>).data) as Chunk[];
      queue = queue
        .then(() => append(id, own, chunks))
        .catch((error: unknown) => {
          problem.value = error instanceof ApiError ? error.message : String(error);
        });
    });
    source.addEventListener("end", () => source.close());
  }

  async function append(id: string, own: number, chunks: Chunk[]): Promise<void> {
    for (const chunk of chunks) {
      if (own !== run) return;
      const have = frames.value?.count ?? 0;
      if (chunk.first + chunk.count <= have) continue;
      const packed = await api.chunk(id, chunk.first);
      if (own !== run) return;
      const state = packed.state as Uint8Array;
      const pieces = state.length / chunk.count;
      const total = (current.value?.frames_total ?? chunk.count) + 1;
      const room = Math.max(total, chunk.first + chunk.count);
      let all = frames.value;
      if (!all || all.state.length < room * pieces) {
        const grown: Frames = {
          count: have,
          pieces,
          position: new Float32Array(room * pieces * 3),
          orientation: new Float32Array(room * pieces * 4),
          state: new Uint8Array(room * pieces),
          maps: {},
          wide: {},
        };
        for (const [name, values] of Object.entries(packed)) {
          if (name === "position" || name === "orientation" || name === "state") continue;
          const wide = (grown.wide[name] = values.length / state.length);
          grown.maps[name] =
            values instanceof Uint8Array
              ? new Uint8Array(room * pieces * wide)
              : new Float32Array(room * pieces * wide);
          if (all?.maps[name]) grown.maps[name]!.set(all.maps[name]!);
        }
        if (all) {
          grown.position.set(all.position);
          grown.orientation.set(all.orientation);
          grown.state.set(all.state);
        }
        all = grown;
      }
      all.position.set(packed.position as Float32Array, chunk.first * pieces * 3);
      all.orientation.set(packed.orientation as Float32Array, chunk.first * pieces * 4);
      all.state.set(state, chunk.first * pieces);
      for (const [name, values] of Object.entries(all.maps))
        values.set(packed[name] as Float32Array, chunk.first * pieces * all.wide[name]!);
      all.count = chunk.first + chunk.count;
      const next: Record<string, number[]> = {};
      for (const [name, values] of Object.entries(chunk.stats))
        next[name] = [...(stats.value[name] ?? []).slice(0, chunk.first), ...values];
      stats.value = next;
      frames.value = all;
      triggerRef(frames);
    }
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
    if (current.value?.id === id) {
      clear();
      if (list.value[0]) await open(list.value[0].id);
    }
  }

  return {
    list,
    current,
    document,
    stateNames,
    frames,
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
