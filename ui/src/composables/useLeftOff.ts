/** Where one left off in each shot: step, playhead, colours, what is chosen, and the camera. It survives a reload. */
import { useStorage } from "@vueuse/core";
import { watch } from "vue";
import { useShot } from "../stores/shot";
import { useView, type ColorBy, type Selection, type Step } from "../stores/view";

interface Left {
  step: Step;
  selection: Selection;
  colors: Record<"set-up" | "take", ColorBy>;
  map: string;
  frame: number;
  showing: "set-up" | "take";
  camera: number[];
  at: number;
}
/** shots that are remembered */
const MOST = 40;

export function useLeftOff(camera: () => number[], look: (camera: number[]) => void) {
  const shot = useShot();
  const view = useView();
  const kept = useStorage<Record<string, Left>>("left-off", {});

  let open = "";

  /** Take up a shot where it was left. Returns whether it was ever open. */
  function takeUp(id: string): boolean {
    open = id;
    const left = kept.value[id];
    if (!left) return false;
    const { selection } = left;
    const d = shot.document!;
    const names: Record<string, { name: string }[]> = {
      body: d.bodies,
      group: d.groups,
      field: d.fields,
      tie: d.ties,
      falloff: d.falloffs,
      map: d.maps,
    };
    view.step = left.step;
    view.colors = left.colors;
    view.map = left.map;
    if (selection && names[selection.kind]?.some((x) => x.name === selection.name)) view.select(selection);
    view.showing = left.showing;
    view.frame = left.frame;
    if (left.camera.length) look(left.camera);
    return true;
  }

  function leave(): void {
    if (!shot.document || open !== shot.id) return; // what is on the screen may be of no shot yet
    const { step, selection, colors, map, frame, showing } = view;
    const now: Left = { step, selection, colors, map, frame, showing, camera: camera(), at: Date.now() };
    const others = Object.entries(kept.value).filter(([id]) => id !== shot.id);
    const recent = others.sort((a, b) => b[1].at - a[1].at).slice(0, MOST - 1);
    kept.value = Object.fromEntries([[shot.id, now], ...recent]);
  }
  watch(() => [view.step, view.selection, view.colors, view.showing], leave, { flush: "post" });

  /** Nothing is remembered until the next is taken up. */
  const close = (): void => void (open = "");

  return { takeUp, leave, close };
}
