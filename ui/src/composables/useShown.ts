/**
 * What the view shows: bodies and groups of the document being edited, or of the take, with their pieces and copies.
 */
import { computed, shallowRef, watch, type ComputedRef, type ShallowRef } from "vue";
import { api } from "../api/client";
import type { Packed } from "../api/packed";
import { filled } from "../lib/document";
import type { FrameCache, FrameData } from "../lib/frames";
import { standAt } from "../lib/motion";
import type { Quat, Vec } from "../lib/rotation";
import { usePieces } from "../stores/pieces";
import { thingsOf, useShot, type Thing } from "../stores/shot";
import { useTakes } from "../stores/takes";
import { useView } from "../stores/view";

export interface Copy {
  position: Vec;
  rotation: Quat;
  size: number;
}

export interface Shown extends Thing {
  packed: Packed;
  copies: Copy[];
}

interface TakeParts {
  packed: Map<string, Packed>;
  members: Map<string, Packed>;
}

/** Where each copy of a thing stands at a time [s] of the set-up. */
export function copiesOf(
  thing: Thing,
  members: Packed | undefined,
  time: number,
  packed: Packed | undefined,
): Copy[] | null {
  if (!thing.group) return [{ ...standAt(thing.body, time, packed), size: 1 }];
  if (!members) return null;
  const { position, rotation, factor } = members as Record<string, Float32Array>;
  return Array.from(factor!, (size, k) => ({
    position: [...position!.subarray(k * 3, k * 3 + 3)] as Vec,
    rotation: [...rotation!.subarray(k * 4, k * 4 + 4)] as Quat,
    size,
  }));
}

export function useShown(): {
  inTake: ComputedRef<boolean>;
  time: ComputedRef<number>;
  shown: ComputedRef<Shown[]>;
  missing: ComputedRef<number>;
  frame: ShallowRef<FrameData | null>;
  before: ComputedRef<FrameData | null>;
} {
  const shot = useShot();
  const pieces = usePieces();
  const takes = useTakes();
  const view = useView();
  let held: FrameCache | null = null;
  const parts = shallowRef<TakeParts>({ packed: new Map(), members: new Map() });

  watch(
    () => takes.document,
    async (document) => {
      if (!document) return;
      const found: TakeParts = { packed: new Map(), members: new Map() };
      for (const thing of thingsOf(document)) {
        found.packed.set(thing.name, (await pieces.ofBody(filled(thing.body, document.falloffs, !thing.group))).packed);
        if (thing.group) found.members.set(thing.name, await api.members(document, thing.name));
      }
      if (takes.document === document) parts.value = found;
    },
    { immediate: true },
  );

  const inTake = computed(() => view.showing === "take" && takes.frames !== null && takes.document !== null);
  /** the frame of the take at the playhead; while that is fetched, the one shown last */
  const frame = shallowRef<FrameData | null>(null);
  watch(
    [inTake, () => view.frame, () => takes.frames, () => takes.frames?.count, () => takes.arrived],
    () => {
      const all = inTake.value ? takes.frames : null;
      if (!all) frame.value = null;
      else frame.value = all.at(Math.min(view.frame, all.count - 1)) ?? (held === all ? frame.value : all.opening);
      held = all;
    },
    { immediate: true },
  );
  /** the frame before it, where that is held; what moves is coloured by its speed */
  const before = computed(() => {
    void takes.arrived;
    const now = frame.value;
    return now && now.index > 0 && view.colorBy === "speed" ? (takes.frames?.at(now.index - 1) ?? null) : null;
  });
  const things = computed(() => (inTake.value ? thingsOf(takes.document!) : shot.things));
  const time = computed(() =>
    inTake.value || !things.value.some((t) => t.body.role === "animated")
      ? 0
      : view.frame / (shot.document?.timing.fps ?? 24),
  );
  const shown = computed<Shown[]>(() => {
    void pieces.version;
    const own = parts.value;
    return things.value.flatMap((thing) => {
      const packed = inTake.value ? own.packed.get(thing.name) : pieces.packedOf(thing.name);
      const copies = copiesOf(
        thing,
        inTake.value ? own.members.get(thing.name) : pieces.members.get(thing.name),
        time.value,
        packed,
      );
      return packed && copies ? [{ ...thing, packed, copies }] : [];
    });
  });
  const missing = computed(() => things.value.length - shown.value.length);
  return { inTake, time, shown, missing, frame, before };
}
