/** The shot being edited: its document, saving, undo and redo. */
import { defineStore } from "pinia";
import { computed, ref, shallowRef } from "vue";
import { api, ApiError } from "../api/client";
import { changeAlike } from "../lib/alike";
import { bringAlong } from "../lib/along";
import { renameIn, replaceUse } from "../lib/document";
import { withoutRefused, type Refused } from "../lib/refused";
import type { Body, FieldItem, Group, ShotDocument, ShotOut, Tie } from "../api/types";

/** What a column of the reach grid stands for: a body, or a group by the body its members are copies of. */
export interface Thing {
  name: string;
  body: Body;
  group: Group | null;
}

export function thingsOf(document: ShotDocument): Thing[] {
  return [
    ...(document.bodies as Body[]).map((body) => ({ name: body.name, body, group: null })),
    ...((document.groups ?? []) as Group[]).map((group) => ({ name: group.name, body: group.body, group })),
  ];
}

const SAVE_AFTER = 350;
const RETRY_AFTER = 2000;
const DRAG_AT_MOST = 15_000;
/** refused values of one document that are put aside one by one */
const MOST_REFUSED = 12;

/** Whether the server has said what became of a change, rather than fallen silent over it. */
const answered = (error: ApiError): boolean => error.status >= 400 && error.status < 500;

function changeNumber(): string {
  return Array.from(crypto.getRandomValues(new Uint8Array(12)), (x) => x.toString(16).padStart(2, "0")).join("");
}

export type SaveState = "saved" | "saving" | "unsaved" | "offline" | "conflict" | "refused";

export const useShot = defineStore("shot", () => {
  const id = ref("");
  const revision = ref(0);
  const document = shallowRef<ShotDocument | null>(null);
  const undoLabel = ref<string | null>(null);
  const redoLabel = ref<string | null>(null);
  const state = ref<SaveState>("saved");
  const refusal = ref("");
  /** what an edit brought with it, to be told */
  const told = ref("");
  /** values the server does not take: they stay where they were typed, and everything else is saved */
  const refused = ref<Refused[]>([]);
  /** the document as the server has it */
  let good: ShotDocument | null = null;
  let label = "";
  let timer: ReturnType<typeof setTimeout> | undefined;
  let held = false;
  let saving: Promise<void> | null = null;
  /** a save whose answer has not come: it is sent again as it was, which does no harm where it was made already */
  let pending: { number: string; base: number; document: ShotDocument; label: string; whole: ShotDocument } | null =
    null;

  const bodies = computed<Body[]>(() => (document.value?.bodies ?? []) as Body[]);
  const groups = computed<Group[]>(() => (document.value?.groups ?? []) as Group[]);
  /** things chosen together, that are edited alike */
  const alike = shallowRef<readonly { kind: string; name: string }[]>([]);
  const things = computed<Thing[]>(() => (document.value ? thingsOf(document.value) : []));
  const ties = computed<Tie[]>(() => (document.value?.ties ?? []) as Tie[]);
  const fields = computed<FieldItem[]>(() => (document.value?.fields ?? []) as FieldItem[]);

  function take(out: ShotOut): void {
    id.value = out.id;
    revision.value = out.revision;
    document.value = out.document as ShotDocument;
    good = document.value;
    refused.value = [];
    undoLabel.value = out.undo;
    redoLabel.value = out.redo;
    state.value = "saved";
    refusal.value = "";
  }

  /** Open a shot; what is unsaved of the one before is saved first. Until it is there the one before stays. */
  async function load(shot: string): Promise<void> {
    if (id.value && id.value !== shot) await flush();
    const out = await api.shot(shot);
    clearTimeout(timer);
    pending = null;
    take(out);
  }

  /** Change the document, or what it was before; edits that follow each other quickly become one step of undo. */
  function edit(what: string, change: (draft: ShotDocument) => void, from = document.value): void {
    if (!from) return;
    const draft = structuredClone(from);
    change(draft);
    const lost = bringAlong(from, draft);
    if (lost.length) told.value = `${lost.join(", ")} opens as it is made again: what it had settled in was other.`;
    document.value = draft;
    label = what;
    state.value = "unsaved";
    clearTimeout(timer);
    timer = setTimeout(() => void flush(), held ? DRAG_AT_MOST : SAVE_AFTER);
  }

  /**
   * While something is dragged nothing is saved (for long enough), so that the whole drag is one step of undo, however
   * slow; ``flush`` ends it.
   */
  function hold(): void {
    held = true;
  }

  /** An edit of one of several, done to all of them alike; ``alone``: to the one, whatever is chosen beside it. */
  function editOne<T extends object>(
    kind: readonly string[],
    name: string,
    what: string,
    find: (d: ShotDocument, name: string) => T | undefined,
    change: (one: T) => void,
    alone = false,
  ): void {
    edit(what, (d) => {
      const one = find(d, name);
      if (!one) return;
      const beside = alone ? [] : alike.value.filter((x) => kind.includes(x.kind) && x.name !== name);
      const others = beside.flatMap((x) => find(d, x.name) ?? []);
      const before = others.length ? structuredClone(one) : one;
      change(one);
      if (others.length) changeAlike(before, one, others);
    });
  }

  const bodyOf = (d: ShotDocument, name: string): Body | undefined =>
    (d.bodies.find((b) => b.name === name) ?? d.groups.find((g) => g.name === name)?.body) as Body | undefined;

  function editBody(name: string, what: string, change: (body: Body) => void, alone = false): void {
    editOne(["body", "group"], name, what, bodyOf, change, alone);
  }

  function editGroup(name: string, what: string, change: (group: Group) => void): void {
    edit(what, (d) => {
      const group = d.groups.find((g) => g.name === name);
      if (group) change(group as Group);
    });
  }

  function takeOut(d: ShotDocument, name: string): void {
    d.bodies = d.bodies.filter((b) => b.name !== name);
    d.groups = d.groups.filter((g) => g.name !== name && !(g.layout.kind === "surface" && g.layout.body === name));
    d.ties = d.ties.filter((t) => t.body !== name && t.to !== name);
    renameIn(d, name, null);
  }

  /**
   * Take out all of these, as one edit: a body or group with its ties, and out of every field's targets; users of a
   * shared falloff each get it as their own.
   */
  function removeAll(gone: readonly { kind: string; name: string }[]): void {
    const of = (kind: string): Set<string> => new Set(gone.filter((g) => g.kind === kind).map((g) => g.name));
    const [fields, ties, maps, falloffs] = [of("field"), of("tie"), of("map"), of("falloff")];
    const things = gone.filter((g) => g.kind === "body" || g.kind === "group").map((g) => g.name);
    edit(gone.length === 1 ? `delete ${gone[0]!.name}` : `delete ${gone.length} things`, (d) => {
      for (const name of things) takeOut(d, name);
      d.fields = d.fields.filter((f) => !fields.has(f.name));
      for (const f of d.fields) if (f.aim && fields.has(f.aim)) f.aim = null;
      d.ties = d.ties.filter((t) => !ties.has(t.name));
      d.maps = d.maps.filter((m) => !maps.has(m.name));
      for (const own of d.falloffs.filter((f) => falloffs.has(f.name)))
        replaceUse(d, own.name, (reach) =>
          Object.assign(reach, {
            layers: structuredClone(own.layers),
            use: null,
            strength: own.strength,
            limits: own.limits,
          }),
        );
      d.falloffs = d.falloffs.filter((f) => !falloffs.has(f.name));
    });
  }

  function rename(old: string, name: string): void {
    edit(`rename ${old}`, (d) => {
      for (const x of [...d.bodies, ...d.groups]) if (x.name === old) x.name = name;
      for (const g of d.groups) if (g.layout.kind === "surface" && g.layout.body === old) g.layout.body = name;
      for (const t of d.ties) {
        if (t.body === old) t.body = name;
        if (t.to === old) t.to = name;
      }
      renameIn(d, old, name);
    });
  }

  function editField(name: string, what: string, change: (field: FieldItem) => void): void {
    editOne(["field"], name, what, (d, n) => d.fields.find((f) => f.name === n) as FieldItem | undefined, change);
  }

  function editTie(name: string, what: string, change: (tie: Tie) => void, alone = false): void {
    editOne(["tie"], name, what, (d, n) => d.ties.find((t) => t.name === n) as Tie | undefined, change, alone);
  }

  /** What can be saved of the document: with what is known to be refused put aside. */
  function savable(from: ShotDocument): ShotDocument | null {
    let out: ShotDocument | null = from;
    for (const r of refused.value) out = out && good && withoutRefused(out, good, r.where);
    return out;
  }

  async function save(): Promise<void> {
    if (!document.value) return;
    const whole = document.value;
    state.value = "saving";
    if (!pending) refused.value = [];
    for (let round = 0; round < MOST_REFUSED; round++) {
      const part = pending?.document ?? savable(whole);
      if (!part) break; // nothing can be kept without what is refused
      pending ??= { number: changeNumber(), base: revision.value, document: part, label, whole };
      try {
        const out = await api.save(id.value, pending.base, pending.document, pending.label, pending.number);
        const { whole: sent } = pending;
        good = pending.document;
        pending = null;
        revision.value = out.revision;
        undoLabel.value = out.undo;
        redoLabel.value = out.redo;
        return settled(sent);
      } catch (error) {
        if (!(error instanceof ApiError)) throw error;
        if (answered(error)) pending = null;
        refusal.value = error.where && error.status === 422 ? `${error.where}: ${error.message}` : error.message;
        if (error.status === 422) {
          const found = error.problems.map((p) => ({ where: p.where ?? "", message: p.message ?? error.message }));
          const own = found.length ? found : [{ where: error.where, message: error.message }];
          const fresh = own.filter((p) => p.where && !refused.value.some((r) => r.where === p.where));
          refused.value = [...refused.value, ...(fresh.length ? fresh.slice(0, 1) : [])];
          if (fresh.length && JSON.stringify(savable(whole)) !== JSON.stringify(good)) continue;
          if (!refused.value.length) refused.value = own;
          return void (state.value = "refused");
        }
        if (error.status === 409) return void (state.value = "conflict");
        state.value = "offline";
        timer = setTimeout(() => void flush(), RETRY_AFTER);
        return;
      }
    }
    state.value = "refused";
  }

  /** A save went through: of all there is, of all but what is refused, or of what there was before it went on. */
  function settled(whole: ShotDocument): void {
    if (document.value !== whole) {
      state.value = "unsaved";
      timer = setTimeout(() => void flush(), SAVE_AFTER);
    } else if (refused.value.length) {
      state.value = "refused";
    } else {
      state.value = "saved";
      refusal.value = "";
    }
  }

  /** Save what is unsaved now; resolves when the server has it. */
  async function flush(): Promise<void> {
    held = false;
    clearTimeout(timer);
    while (saving) await saving;
    if (state.value === "unsaved" || state.value === "offline") {
      saving = save().finally(() => (saving = null));
      await saving;
    }
  }

  let steps: Promise<void> = Promise.resolve();

  /** Undo or redo; presses that follow each other quickly are taken one after the other. */
  function step(way: "undo" | "redo"): Promise<void> {
    steps = steps.then(() => takeStep(way));
    return steps;
  }

  async function takeStep(way: "undo" | "redo"): Promise<void> {
    if (state.value === "refused" && good) {
      // what is refused was never a revision: going back means giving up that alone
      document.value = good;
      refused.value = [];
      refusal.value = "";
      state.value = "saved";
      return;
    }
    await flush();
    if (state.value !== "saved") return;
    const number = changeNumber();
    const own = id.value;
    while (id.value === own) {
      try {
        const out = await api.step(own, revision.value, way, number);
        if (id.value === own) take(out);
        return;
      } catch (error) {
        if (id.value !== own) return;
        if (!(error instanceof ApiError)) throw error;
        if (answered(error)) {
          state.value = error.status === 409 ? "conflict" : "saved";
          return;
        }
        refusal.value = error.message;
        state.value = "offline";
        await new Promise((done) => setTimeout(done, RETRY_AFTER));
      }
    }
  }

  /** After a conflict: the other tab's version, or ours as a new shot. Returns the id to go on with. */
  async function settle(way: "theirs" | "copy"): Promise<string> {
    if (way === "copy" && document.value) {
      const mine = structuredClone(document.value);
      mine.name = `${mine.name} (copy)`.slice(0, 80);
      const out = await api.newShot(mine.name, mine);
      take(out);
      return out.id;
    }
    await load(id.value);
    return id.value;
  }

  return {
    id,
    alike,
    revision,
    document,
    bodies,
    groups,
    things,
    fields,
    ties,
    undoLabel,
    redoLabel,
    state,
    refusal,
    told,
    refused,
    load,
    edit,
    editBody,
    editGroup,
    editField,
    editTie,
    removeAll,
    rename,
    hold,
    flush,
    step,
    settle,
  };
});
