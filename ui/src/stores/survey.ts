/** What fields reach and what preflight finds, kept up to date while the document is edited. */
import { defineStore } from "pinia";
import { computed, shallowRef } from "vue";
import { api, ApiError } from "../api/client";
import type { Crossing, Finding, PathLoad, ShotDocument, Survey } from "../api/types";

/** Milliseconds after which a survey is asked for again that nobody was there to make. */
const ASK_AGAIN = 2000;

export const useSurvey = defineStore("survey", () => {
  const result = shallowRef<Survey | null>(null);
  /** the field that was asked about */
  let about = "";
  let running: AbortController | null = null;
  let timer: ReturnType<typeof setTimeout> | undefined;

  const findings = computed<Finding[]>(() => result.value?.findings ?? []);
  const crossings = computed<Crossing[]>(() => result.value?.crossings ?? []);

  /** the greatest pressure of the wind that is asked about [Pa] */
  const mostPressure = computed(() =>
    Object.values(result.value?.vertices ?? {}).reduce((top, v) => v.pressure.reduce((a, b) => Math.max(a, b), top), 0),
  );

  function crossing(field: string, body: string): Crossing | undefined {
    return crossings.value.find((c) => c.field === field && c.body === body);
  }

  /** What a field puts through bonds; empty until it was asked about. */
  function loadsOf(field: string): readonly PathLoad[] {
    const loads = result.value?.loads ?? [];
    return about === field ? loads : [];
  }

  /** Figures of a field over all bodies it targets; not known until the answer comes. */
  function totals(field: string): {
    known: boolean;
    /** pieces, and vertices of what deforms: in reach, and all */
    pieces: number;
    of: number;
    words: string;
    bonds: number;
    breaks: number;
    load: number;
    low: number;
    high: number;
  } {
    const own = crossings.value.filter((c) => c.field === field && c.targeted);
    const counted = (vertices: boolean): [number, number] => {
      const some = own.filter((c) => !!c.vertices === vertices);
      return [some.reduce((s, c) => s + c.pieces, 0), some.reduce((s, c) => s + c.of, 0)];
    };
    const [pieces, vertices] = [counted(false), counted(true)];
    const told = ([n, of]: [number, number], word: string): string =>
      of ? `${n.toLocaleString("en")} of ${of.toLocaleString("en")} ${word}` : "";
    const lows = own.filter((c) => c.bonds > 0).map((c) => c.strength_low);
    return {
      known: crossings.value.some((c) => c.field === field),
      pieces: pieces[0] + vertices[0],
      of: pieces[1] + vertices[1],
      words: [told(pieces, "pieces"), told(vertices, "vertices")].filter(Boolean).join(" and ") || "0 of 0 pieces",
      bonds: own.reduce((s, c) => s + c.bonds, 0),
      breaks: own.reduce((s, c) => s + c.breaks, 0),
      load: Math.max(0, ...own.map((c) => c.load_top)),
      low: lows.length ? Math.min(...lows) : 0,
      high: Math.max(0, ...own.map((c) => c.strength_high)),
    };
  }

  /**
   * Ask again soon, at a frame, with a field's arrows and a body's weights; an answer that is no longer wanted is
   * dropped.
   */
  function update(document: ShotDocument, frame = 0, field = "", weighs = "", shows = ""): void {
    clearTimeout(timer);
    timer = setTimeout(async () => {
      running?.abort();
      const own = (running = new AbortController());
      try {
        const answer = await api.survey(document, frame, field, weighs, shows, own.signal);
        if (!own.signal.aborted) [about, result.value] = [field, answer];
      } catch (error) {
        if (own.signal.aborted) return;
        if (!(error instanceof ApiError)) throw error;
        // an unusable document says so where it is edited; who is away is asked again
        if (error.status === 0 || error.status === 503)
          timer = setTimeout(() => update(document, frame, field, weighs, shows), ASK_AGAIN);
      }
    }, 50);
  }

  return { result, findings, crossings, mostPressure, crossing, loadsOf, totals, update };
});
