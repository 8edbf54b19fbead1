/** What is selected, which step is open, and where the playhead is. */
import { defineStore } from "pinia";
import { ref } from "vue";

export type Step = "build" | "break" | "bind" | "drive" | "run" | "export";
export type Selection = { kind: "body" | "field"; name: string } | null;
export type ColorBy = "material" | "piece" | "state" | "reach";
export type Handle = "move" | "turn" | "scale";

export const useView = defineStore("view", () => {
  const step = ref<Step>("build");
  const selection = ref<Selection>(null);
  const piece = ref<{ body: string; index: number } | null>(null);
  const handle = ref<Handle>("move");
  const colorBy = ref<ColorBy>("material");
  const explode = ref(0);
  /** "set-up" shows the document as edited, "take" the frames of a take */
  const showing = ref<"set-up" | "take">("set-up");
  const frame = ref(0);
  const playing = ref(false);
  const loop = ref(true);
  const theme = ref<"dark" | "light">((localStorage.getItem("theme") as "dark" | "light" | null) ?? "dark");
  const sheetOpen = ref(true);

  function select(next: Selection): void {
    selection.value = next;
    piece.value = null;
  }

  function setTheme(next: "dark" | "light"): void {
    theme.value = next;
    localStorage.setItem("theme", next);
    document.documentElement.dataset.theme = next;
    document.documentElement.classList.toggle("dark", next === "dark");
  }

  function reset(): void {
    selection.value = null;
    piece.value = null;
    explode.value = 0;
    frame.value = 0;
    playing.value = false;
    showing.value = "set-up";
    step.value = "build";
    colorBy.value = "material";
  }

  return { step, selection, piece, handle, colorBy, explode, showing, frame, playing, loop, theme, sheetOpen, select, setTheme, reset };
});
