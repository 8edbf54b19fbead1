/** What is done to everything that is chosen: copied, pasted, doubled, deleted, hidden. */
import { StorageSerializers, useStorage } from "@vueuse/core";
import { ElMessage } from "element-plus";
import { clipOf, isEmpty, paste, type Clip } from "../lib/clip";
import { usePieces } from "../stores/pieces";
import { useShot } from "../stores/shot";
import { useView, type Selection } from "../stores/view";

/** what was copied last, in this or another tab */
const kept = useStorage<Clip | null>("clip", null, localStorage, {
  serializer: StorageSerializers.object,
  shallow: true, // plain objects, which paste can clone
});
const named = (things: readonly { name: string }[]): string =>
  things.length === 1 ? things[0]!.name : `${things.length} things`;

export function useCommands() {
  const shot = useShot();
  const pieces = usePieces();
  const view = useView();
  const chosenThings = (): string[] =>
    view.chosen.filter((c) => c.kind === "body" || c.kind === "group").map((c) => c.name);

  function choose(all: readonly NonNullable<Selection>[]): void {
    view.select(null);
    all.forEach((one) => view.select(one, true));
    if (all.length === 1) view.select(all[0]!);
  }

  /** Everything of the kind that is worked on: fields in Drive, ties where one is chosen, else bodies and groups. */
  function chooseAll(): void {
    if (view.selection?.kind === "tie") return choose(shot.ties.map((t) => ({ kind: "tie", name: t.name })));
    if (view.selection?.kind === "field" || (view.step === "drive" && !view.thing))
      return choose(shot.fields.map((f) => ({ kind: "field", name: f.name })));
    choose(shot.things.map((t) => ({ kind: t.group ? "group" : "body", name: t.name })));
  }

  function remove(): void {
    const gone = [...view.chosen];
    if (!gone.length) return;
    if (view.picked.length || view.piece)
      return void ElMessage(
        `A piece of ${gone[0]!.name} is picked. Press Escape, then Delete, to delete ${gone[0]!.name}.`,
      );
    view.select(null);
    shot.removeAll(gone);
  }

  function copy(): void {
    if (!shot.document || !view.chosen.length) return;
    const clip = clipOf(shot.document, view.chosen);
    if (isEmpty(clip)) return;
    kept.value = clip;
    view.clipboard = "things";
    ElMessage({ message: `${named(view.chosen)} copied: paste with Ctrl+V here or in another shot.`, duration: 2000 });
  }

  /** Things of this or another shot, beside what has their name here. */
  function insert(clip: Partial<Clip>, what: string): void {
    const first = clip.bodies?.[0] ?? clip.groups?.[0];
    const wide = (pieces.built.get(first?.name ?? "")?.figures.size[0] ?? 1) * 1.2;
    const there = !!first && shot.things.some((t) => t.name === first.name);
    let put: ReturnType<typeof paste> = { fresh: [], lost: [] };
    shot.edit(what, (d) => (put = paste(d, clip, [there ? Number(wide.toFixed(3)) : 0, 0, 0])));
    view.showing = "set-up";
    const things = put.fresh.filter((f) => f.kind !== "falloff"); // what came with them is not what was pasted
    choose(things.length ? things : put.fresh);
    if (put.lost.length)
      ElMessage({
        type: "warning",
        message: `What is not in this shot was left out: ${put.lost.join(", ")}.`,
        duration: 6000,
        showClose: true,
      });
  }

  function pasteNow(): void {
    if (kept.value) insert(kept.value, "paste");
  }

  function duplicate(): void {
    if (shot.document && view.chosen.length) insert(clipOf(shot.document, view.chosen), `copy ${named(view.chosen)}`);
  }

  /** A body, or a group, among its own, one place up or down. */
  function reorder(name: string, by: 1 | -1): void {
    shot.edit(`move ${name} ${by < 0 ? "up" : "down"}`, (d) => {
      for (const list of [d.bodies, d.groups] as { name: string }[][]) {
        const at = list.findIndex((x) => x.name === name);
        const to = at + by;
        if (at >= 0 && to >= 0 && to < list.length) list.splice(to, 0, ...list.splice(at, 1));
      }
    });
  }

  const hide = (): void => chosenThings().forEach(view.toggleHidden);
  const lock = (): void => chosenThings().forEach(view.toggleLocked);
  const isolate = (): void =>
    view.isolate(
      chosenThings(),
      shot.things.map((t) => t.name),
    );

  return { clip: kept, insert, chooseAll, reorder, remove, copy, paste: pasteNow, duplicate, hide, lock, isolate };
}
