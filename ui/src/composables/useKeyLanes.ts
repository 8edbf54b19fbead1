/** Keys on the lanes: chosen together, dragged, stretched in time, copied and pasted. */
import { useEventListener } from "@vueuse/core";
import { computed, ref, watch, type Ref } from "vue";
import type { ShotDocument } from "../api/types";
import { copyKeys, keyId, keysOf, pasteKeys, pegsOf, removeKeys, retime, type KeyRef, type Peg } from "../lib/keys";
import { isTyping } from "../lib/keyboard";
import { useShot } from "../stores/shot";
import { useView } from "../stores/view";
import { follow } from "./useDrag";
import type { useTimeAxis } from "./useTimeAxis";

export interface Box {
  x: number;
  y: number;
  w: number;
  h: number;
}

export function useKeyLanes(area: Ref<HTMLElement | null>, axis: ReturnType<typeof useTimeAxis>, fps: Ref<number>) {
  const shot = useShot();
  const view = useView();
  const chosen = ref<KeyRef[]>([]);
  const ids = computed(() => new Set(chosen.value.map(keyId)));
  const all = computed(() => (shot.document ? keysOf(shot.document) : []));
  const box = ref<Box | null>(null);
  let copies: ReturnType<typeof copyKeys> = [];

  /** The pegs of a lane, or of one of its numbers. */
  const pegs = (lane: string, of?: string): Peg[] =>
    pegsOf(all.value.filter((k) => k.lane === lane && (of === undefined || k.of === of)));
  const isChosen = (peg: Peg): boolean => peg.keys.every((k) => ids.value.has(keyId(k)));

  function editKeys(what: string, change: (d: ShotDocument) => KeyRef[], from = shot.document): void {
    shot.edit(what, (d) => (chosen.value = change(d)), from);
  }
  // what is chosen elsewhere is what copying and deleting mean from then on
  watch(
    () => view.selection,
    (now) => {
      if (!now || !chosen.value.some((k) => k.lane === `${now.kind} ${now.name}`)) chosen.value = [];
    },
  );

  function choose(peg: Peg, event: PointerEvent): boolean {
    const [kind, ...rest] = peg.lane.split(" ");
    view.select({ kind: kind as "body" | "field" | "falloff", name: rest.join(" ") });
    if (event.shiftKey) {
      const own = new Set(peg.keys.map(keyId));
      const others = chosen.value.filter((k) => !own.has(keyId(k)));
      chosen.value = isChosen(peg) ? others : [...others, ...peg.keys];
      return false;
    }
    if (!isChosen(peg)) chosen.value = [...peg.keys];
    return true;
  }

  /** Drag the chosen keys along, by whole frames; with Alt, stretch them about the first, exactly. */
  function drag(event: PointerEvent, peg: Peg): void {
    event.stopPropagation();
    if (!choose(peg, event)) return;
    const before = shot.document;
    const from = chosen.value;
    const first = Math.min(...from.map((k) => k.time));
    view.frame = Math.round(peg.time * fps.value);
    if (view.showing === "take") view.showing = "set-up";
    shot.hold();
    follow(
      event,
      (e) => {
        const frame = axis.frameAt(e);
        const stretch = e.altKey && peg.time > first ? (frame / fps.value - first) / (peg.time - first) : 0;
        if (e.altKey && stretch <= 0) return;
        const by = Math.round(frame - peg.time * fps.value);
        const to = (t: number): number => (stretch ? first + (t - first) * stretch : t + by / fps.value);
        editKeys("move keys", (d) => retime(d, from, to), before);
        view.frame = frame;
      },
      () => void shot.flush(),
    );
  }

  /** Drag with Shift over the lanes: all keys in the box. */
  function dragBox(event: PointerEvent): void {
    const rect = area.value!.getBoundingClientRect();
    const from = { x: event.clientX - rect.left, y: event.clientY - rect.top };
    follow(
      event,
      (e) => {
        const [x, y] = [e.clientX - rect.left, e.clientY - rect.top];
        const b = {
          x: Math.min(from.x, x),
          y: Math.min(from.y, y),
          w: Math.abs(from.x - x),
          h: Math.abs(from.y - y),
        };
        box.value = b;
        const lanes = [...area.value!.parentElement!.querySelectorAll<SVGElement>("[data-lane]")]
          .filter((l) => {
            const r = l.getBoundingClientRect();
            return r.bottom - rect.top > b.y && r.top - rect.top < b.y + b.h;
          })
          .map((l) => l.dataset);
        const inside = (k: KeyRef): boolean => {
          const at = axis.x(k.time * fps.value);
          const crossed = lanes.some((l) => l.lane === k.lane && (l.of === undefined || l.of === k.of));
          return crossed && at >= b.x && at <= b.x + b.w;
        };
        chosen.value = all.value.filter(inside);
      },
      () => (box.value = null),
    );
  }

  function onKey(event: KeyboardEvent): void {
    if (isTyping(event) || !shot.document) return;
    const ctrl = event.ctrlKey || event.metaKey;
    const done = (): void => {
      event.preventDefault();
      event.stopImmediatePropagation();
    };
    if (chosen.value.length && event.key === "Delete") {
      done();
      editKeys("delete keys", (d) => {
        removeKeys(d, chosen.value);
        return [];
      });
    } else if (chosen.value.length && ctrl && event.key.toLowerCase() === "c") {
      done();
      copies = copyKeys(shot.document, chosen.value);
      view.clipboard = "keys";
    } else if (copies.length && view.clipboard === "keys" && ctrl && event.key.toLowerCase() === "v") {
      done();
      editKeys("paste keys", (d) => pasteKeys(d, copies, Number((view.frame / fps.value).toFixed(4))));
    } else if (chosen.value.length && event.key === "Escape") {
      done();
      chosen.value = [];
    }
  }
  useEventListener(window, "keydown", onKey, { capture: true });

  return { chosen, pegs, isChosen, drag, dragBox, box };
}
