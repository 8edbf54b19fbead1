/** What is selected, which step is open, and where the playhead is. */
import { useStorage } from "@vueuse/core";
import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import type { TieKind } from "../api/types";
import type { Snap } from "../lib/snap";
import type { Traced } from "../lib/trace";

export type Step = "build" | "break" | "bind" | "drive" | "run" | "export";
export type Selection = { kind: "body" | "group" | "field" | "tie" | "falloff" | "map"; name: string } | null;
export type ColorBy =
  | "material"
  | "piece"
  | "tier"
  | "size"
  | "strength"
  | "state"
  | "reach"
  | "map"
  | "load"
  | "fields"
  | "stretch"
  | "tension"
  | "speed"
  | "touch"
  | "pressure";
export type Section = { axis: 0 | 1 | 2; share: number } | null;
/** What can be brought into view: all, what is chosen, or one member of a group. */
export type Sight = "all" | "chosen" | { name: string; copy: number };
export type Help = "guide" | "keys" | "tour" | null;
export type Handle = "move" | "turn" | "scale";

/** One of a body's pins, recall or weights. */
export interface Weighed {
  part: "pins" | "recall" | "weights";
  k: number;
}
export interface Brush {
  /** [m] */
  size: number;
  soft: number;
  strength: number;
  how: "add" | "remove" | "set";
  mirror: "" | "x" | "y" | "z";
}

export const useView = defineStore("view", () => {
  const step = ref<Step>("build");
  const selection = ref<Selection>(null);
  /** name of the chosen body or group */
  const thing = computed(() =>
    selection.value?.kind === "body" || selection.value?.kind === "group" ? selection.value.name : null,
  );
  /** what is chosen beside the selection, so that all of it is moved, copied or deleted together */
  const more = shallowRef<NonNullable<Selection>[]>([]);
  const chosen = computed(() => (selection.value ? [selection.value, ...more.value] : []));
  /** names of bodies and groups that are not drawn, or cannot be picked and moved in the view */
  const hidden = ref<string[]>([]);
  const locked = ref<string[]>([]);
  const piece = ref<{ body: string; index: number } | null>(null);
  /** the piece of the take shown that is traced */
  const traced = shallowRef<Traced | null>(null);
  /** the layer of the chosen falloff that is edited and carries the handles */
  const layer = ref(0);
  /** "set-up" shows the document as edited, "take" the frames of a take */
  const showing = ref<"set-up" | "take">("set-up");
  const arrows = ref(true);
  const handle = ref<Handle>("move");
  /** what is dragged keeps to this */
  const snap = useStorage<Snap>("snap", "free");
  /** the handles' axes: the world's, or the thing's own */
  const axes = useStorage<"world" | "local">("axes", "world");
  /** sizes are changed in all directions alike */
  const whole = useStorage("scale-as-a-whole", false);
  /** what is set up and what was run are coloured each in its own way */
  const colors = ref<Record<"set-up" | "take", ColorBy>>({ "set-up": "material", take: "material" });
  const colorBy = computed<ColorBy>({
    get: () => colors.value[showing.value],
    set: (by) => (colors.value = { ...colors.value, [showing.value]: by }),
  });
  /** the map coloured by, where that is chosen */
  const map = ref("");
  /** how far chunks of tiers 1 to 4 are drawn apart */
  const explode = ref([0, 0, 0, 0]);
  /** pieces picked together in the chosen body */
  const picked = ref<number[]>([]);
  const section = ref<Section>(null);
  const wire = ref(false);
  /** bonds drawn as lines: not, by their strength, or by the share of it their own weight takes */
  const bonds = ref<"hidden" | "strength" | "weight">("hidden");
  /** collision shapes of the chosen body drawn as lines */
  const shapes = ref(false);
  /** a tie being placed by clicks in the view, and the end it has so far */
  const placing = shallowRef<{
    kind: TieKind;
    body: string | null;
    point: [number, number, number] | null;
    note: string;
  } | null>(null);
  /** the chosen field is put where the view is clicked next */
  const placingField = ref(false);
  /** points of the rope that is drawn by clicks in the view, null while none is */
  const drawing = shallowRef<[number, number, number][] | null>(null);
  /** the falloff of the chosen body that is painted on, and the one whose values are shown over it */
  const painting = shallowRef<Weighed | null>(null);
  const weighing = shallowRef<Weighed | null>(null);
  /** values at its vertices while a stroke is drawn, before the server has said them */
  const painted = shallowRef<Float32Array | null>(null);
  const brush = useStorage<Brush>("brush", { size: 0.2, soft: 0.6, strength: 1, how: "add", mirror: "" });
  /** seams of the chosen body that are picked, and what their lines are coloured by */
  const seams = ref<number[]>([]);
  const seamColor = ref<"strength" | "load">("strength");
  /** the end of the chosen tie its handles move */
  const tieEnd = ref<0 | 1>(0);
  /** segments that show defects of the chosen body's mesh, in its own scaled frame */
  const marks = ref<number[][]>([]);
  /** what of the help is open */
  const help = ref<Help>(null);
  const frame = ref(0);
  const playing = ref(false);
  const loop = ref(true);
  const theme = ref<"dark" | "light">((localStorage.getItem("theme") as "dark" | "light" | null) ?? "dark");
  const sheetOpen = ref(true);
  /** what the view shall bring into sight at the next frame it shows */
  const wanted = ref<Sight | null>(null);
  /** what grows past the picture is framed again */
  const keepInSight = useStorage("keep-in-sight", true);
  /** whether every move in the view of what can be keyed is a key at the playhead */
  const autoKey = ref(false);
  /** families of lanes that are folded */
  const foldedLanes = ref<string[]>([]);
  /** lanes that show each of their keyed numbers on a lane of its own */
  const openLanes = ref<string[]>([]);
  const openLane = (id: string): void => void (openLanes.value = flip(openLanes.value, id));
  /** what was copied last, so that pasting means that */
  const clipboard = ref<"keys" | "things" | null>(null);

  /** Choose something alone, or beside what is chosen; what is chosen already leaves again. */
  function select(next: Selection, beside = false): void {
    const is = (x: Selection): boolean => x?.kind === next?.kind && x?.name === next?.name;
    if (beside && next && selection.value) {
      const others = chosen.value.filter((x) => !is(x));
      const left = others.length < chosen.value.length ? others : [next, ...others];
      selection.value = left[0] ?? null;
      more.value = left.slice(1);
      picked.value = [];
      piece.value = null;
      return;
    }
    more.value = [];
    if (next?.kind !== selection.value?.kind || next?.name !== selection.value?.name) {
      picked.value = [];
      marks.value = [];
      layer.value = 0;
      painting.value = weighing.value = null;
      seams.value = [];
    }
    selection.value = next;
    placingField.value = false;
    drawing.value = null;
    tieEnd.value = 0;
    piece.value = null;
  }

  const flip = (names: string[], name: string): string[] =>
    names.includes(name) ? names.filter((n) => n !== name) : [...names, name];
  const toggleHidden = (name: string): void => void (hidden.value = flip(hidden.value, name));
  const toggleLocked = (name: string): void => void (locked.value = flip(locked.value, name));
  /** Nothing but these is drawn; once more, all is. */
  function isolate(names: readonly string[], all: readonly string[]): void {
    const others = all.filter((n) => !names.includes(n));
    const already = others.length > 0 && others.every((n) => hidden.value.includes(n));
    hidden.value = already ? [] : others;
  }

  function foldLanes(name: string): void {
    foldedLanes.value = foldedLanes.value.includes(name)
      ? foldedLanes.value.filter((n) => n !== name)
      : [...foldedLanes.value, name];
  }

  function setTheme(next: "dark" | "light"): void {
    theme.value = next;
    localStorage.setItem("theme", next);
    document.documentElement.dataset.theme = next;
    document.documentElement.classList.toggle("dark", next === "dark");
  }

  function reset(): void {
    selection.value = null;
    more.value = [];
    hidden.value = [];
    locked.value = [];
    piece.value = null;
    traced.value = null;
    explode.value = [0, 0, 0, 0];
    picked.value = [];
    section.value = null;
    wire.value = false;
    bonds.value = "hidden";
    marks.value = [];
    shapes.value = false;
    placing.value = null;
    placingField.value = false;
    drawing.value = null;
    painting.value = weighing.value = null;
    seams.value = [];
    frame.value = 0;
    playing.value = false;
    showing.value = "set-up";
    step.value = "build";
    colors.value = { "set-up": "material", take: "material" };
  }

  return {
    step,
    selection,
    thing,
    shapes,
    placing,
    placingField,
    drawing,
    painting,
    weighing,
    painted,
    brush,
    seams,
    seamColor,
    snap,
    axes,
    whole,
    tieEnd,
    layer,
    arrows,
    piece,
    traced,
    picked,
    handle,
    colorBy,
    colors,
    map,
    explode,
    section,
    wire,
    bonds,
    marks,
    showing,
    frame,
    playing,
    loop,
    theme,
    sheetOpen,
    more,
    chosen,
    hidden,
    locked,
    toggleHidden,
    toggleLocked,
    isolate,
    autoKey,
    keepInSight,
    wanted,
    foldedLanes,
    foldLanes,
    openLanes,
    help,
    openLane,
    clipboard,
    select,
    setTheme,
    reset,
  };
});
