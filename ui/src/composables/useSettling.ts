/** Letting bodies that deform settle, with progress and cancel; what comes of it is one edit. */
import { ref, type Ref } from "vue";
import { api, ApiError } from "../api/client";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import type { Body } from "../api/types";

const ASK_AGAIN = 200;

export interface Settles {
  key: string;
  name: string;
  share: number;
  left: number | null;
}

/** what settles now; one at a time, whoever looks on */
const now: Ref<Settles | null> = ref(null);

export function useSettling(): {
  now: Ref<Settles | null>;
  settle: (name: string, withFields: boolean) => Promise<string>;
  cancel: () => Promise<void>;
} {
  const shot = useShot();
  const pieces = usePieces();

  /** Let a body settle with what is tied to it; returns what came of it, in words. */
  async function settle(name: string, withFields: boolean): Promise<string> {
    if (now.value || !shot.document) return "";
    const id = shot.id;
    now.value = { key: "", name, share: 0, left: null };
    try {
      let said = await api.settle(shot.document, [name], withFields);
      while (!said.openings) {
        now.value = { key: said.key, name, share: said.share, left: said.left };
        await new Promise((done) => setTimeout(done, ASK_AGAIN));
        said = await api.settling(said.key);
      }
      if (shot.id !== id) return "";
      const { openings, rests, seconds, ties } = said;
      for (const [body, loads] of Object.entries(said.loads)) pieces.seamLoads.set(body, loads);
      shot.edit(`let ${name} settle`, (d) => {
        for (const b of d.bodies as Body[]) if (openings[b.name]) b.opening = openings[b.name] as Body["opening"];
        for (const t of d.ties) if (ties[t.name]) t.point = ties[t.name] as [number, number, number];
      });
      const others = Object.keys(openings).filter((n) => n !== name);
      const along = others.length ? `, with ${others.join(", ")} along` : "";
      return rests
        ? `${name} opens as it came to rest after ${seconds!.toFixed(1)} s${along}.`
        : `${name} does not come to rest; it opens as it was after ${seconds!.toFixed(0)} s${along}.`;
    } catch (error) {
      if (!(error instanceof ApiError)) throw error;
      return error.message;
    } finally {
      now.value = null;
    }
  }

  async function cancel(): Promise<void> {
    if (now.value?.key) await api.cancelSettling(now.value.key);
  }

  return { now, settle, cancel };
}
