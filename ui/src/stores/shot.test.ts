import { createPinia, setActivePinia } from "pinia";
import { beforeEach, describe, expect, it, vi } from "vitest";
import { api, ApiError } from "../api/client";
import type { ShotDocument, ShotOut } from "../api/types";
import { useShot } from "./shot";

const out = (revision: number, name = "a"): ShotOut =>
  ({
    id: "s",
    name,
    revision,
    document: { name, bodies: [], fields: [] },
    undo: "x",
    redo: null,
  }) as unknown as ShotOut;

beforeEach(() => {
  setActivePinia(createPinia());
  vi.restoreAllMocks();
  vi.useFakeTimers();
});

async function opened(): Promise<ReturnType<typeof useShot>> {
  vi.spyOn(api, "shot").mockResolvedValue(out(1));
  const shot = useShot();
  await shot.load("s");
  return shot;
}

const rename = (name: string) => (d: ShotDocument) => void (d.name = name);

/** Takes documents whose bodies all have a density above 0, as the server does. */
function server(): { kept: ShotDocument[] } {
  const kept: ShotDocument[] = [];
  vi.spyOn(api, "save").mockImplementation(async (_id, base, document) => {
    const bad = document.bodies.findIndex((b) => (b as unknown as { density: number }).density <= 0);
    if (bad >= 0) {
      const problem = { where: `bodies[${bad}].density`, message: "must be above 0" };
      throw new ApiError(422, { ...problem, problems: [problem] });
    }
    kept.push(document);
    return { ...out(base + 1), document } as never;
  });
  return { kept };
}

describe("several chosen together", () => {
  it("are edited alike by one edit, but moved one by one", async () => {
    const shot = await opened();
    vi.spyOn(api, "save").mockResolvedValue(out(2));
    const body = (name: string) => ({ name, material: { friction: 0.5 }, place: { position: [0, 0, 0] } });
    shot.edit("two bodies", (d) => d.bodies.push(...(["wall", "door", "roof"].map(body) as never[])));
    shot.alike = [{ kind: "body", name: "door" }];
    shot.editBody("wall", "friction", (b) => (b.material.friction = 0.9));
    expect(shot.bodies.map((b) => b.material.friction)).toEqual([0.9, 0.9, 0.5]);
    shot.editBody("wall", "move", (b) => (b.place.position = [1, 2, 3]), true);
    expect(shot.bodies.map((b) => b.place.position![0])).toEqual([1, 0, 0]);
  });
});

describe("a refused value", () => {
  const body = (name: string, density: number) => ({ name, density }) as never;
  async function withBodies(): Promise<ReturnType<typeof useShot>> {
    const first = out(1);
    (first.document as ShotDocument).bodies = [body("wall", 5), body("door", 6)];
    vi.spyOn(api, "shot").mockResolvedValue(first);
    const shot = useShot();
    await shot.load("s");
    return shot;
  }
  it("stays where it was typed while everything else goes on being saved", async () => {
    const { kept } = server();
    const shot = await withBodies();
    shot.edit("density", (d) => (d.bodies[1] = body("door", -1)));
    await shot.flush();
    expect([shot.state, shot.refused[0]!.where, kept.length]).toEqual(["refused", "bodies[1].density", 0]);
    shot.edit("name", rename("b"));
    await shot.flush();
    expect(kept.at(-1)).toMatchObject({ name: "b", bodies: [{ density: 5 }, { density: 6 }] });
    expect(shot.bodies[1]).toEqual(body("door", -1));
    shot.edit("density", (d) => (d.bodies[1] = body("door", 7)));
    await shot.flush();
    expect([shot.state, shot.refused, kept.at(-1)!.bodies[1]]).toEqual(["saved", [], body("door", 7)]);
  });
  it("is all that an undo gives up", async () => {
    server();
    const shot = await withBodies();
    const step = vi.spyOn(api, "step");
    shot.edit("two", (d) => {
      d.bodies[0] = body("wall", 0);
      d.bodies[1] = body("door", 0);
    });
    await shot.flush();
    shot.edit("name", rename("b"));
    await shot.flush();
    await shot.step("undo");
    expect(step).not.toHaveBeenCalled();
    expect(shot.document).toMatchObject({ name: "b", bodies: [{ density: 5 }, { density: 6 }] });
    expect(shot.state).toBe("saved");
  });
});

describe("saving", () => {
  it("joins quick edits into one step and names the revision they were made on", async () => {
    const save = vi.spyOn(api, "save").mockResolvedValue(out(2));
    const shot = await opened();
    for (const name of ["b", "c", "d"]) shot.edit(`name ${name}`, rename(name));
    expect(shot.state).toBe("unsaved");
    await vi.advanceTimersByTimeAsync(400);
    expect(save).toHaveBeenCalledTimes(1);
    expect(save.mock.calls[0]!.slice(0, 2)).toEqual(["s", 1]);
    expect(save.mock.calls[0]![2].name).toBe("d");
    expect([shot.state, shot.revision]).toEqual(["saved", 2]);
  });

  it("saves nothing while something is dragged, and all of it as one step at its end", async () => {
    const save = vi.spyOn(api, "save").mockResolvedValue(out(2));
    const shot = await opened();
    for (const name of ["b", "c"]) {
      shot.hold();
      shot.edit(`move ${name}`, rename(name));
      await vi.advanceTimersByTimeAsync(2000);
    }
    expect(save).not.toHaveBeenCalled();
    await shot.flush();
    expect(save).toHaveBeenCalledTimes(1);
    expect([save.mock.calls[0]![2].name, shot.state]).toEqual(["c", "saved"]);
  });

  it("goes on trying while the server is away and loses nothing", async () => {
    const save = vi.spyOn(api, "save").mockRejectedValueOnce(new ApiError(0, {})).mockResolvedValue(out(2));
    const shot = await opened();
    shot.edit("name", rename("b"));
    await vi.advanceTimersByTimeAsync(400);
    expect([shot.state, shot.document!.name]).toEqual(["offline", "b"]);
    await vi.advanceTimersByTimeAsync(2100);
    expect([shot.state, save.mock.calls.length]).toEqual(["saved", 2]);
  });

  it("sends a save whose answer was lost again as it was, then what was edited since", async () => {
    const save = vi.spyOn(api, "save").mockRejectedValueOnce(new ApiError(0, {})).mockResolvedValue(out(2));
    const shot = await opened();
    shot.edit("name", rename("b"));
    await vi.advanceTimersByTimeAsync(400);
    shot.edit("name", rename("c"));
    await vi.advanceTimersByTimeAsync(4000);
    const sent = save.mock.calls.map(([, base, document, , number]) => [base, document.name, number]);
    expect(sent.map((x) => x.slice(0, 2))).toEqual([[1, "b"], [1, "b"], [2, "c"]]); // oxfmt-ignore
    expect(sent[0]![2]).toBe(sent[1]![2]);
    expect(sent[2]![2]).not.toBe(sent[1]![2]);
    expect(shot.state).toBe("saved");
  });

  it("undoes once, however often its answer is lost", async () => {
    const step = vi.spyOn(api, "step").mockRejectedValueOnce(new ApiError(0, {})).mockResolvedValue(out(2));
    const shot = await opened();
    const done = shot.step("undo");
    await vi.advanceTimersByTimeAsync(2100);
    await done;
    expect(step.mock.calls[0]).toEqual(step.mock.calls[1]);
    expect(shot.state).toBe("saved");
  });

  it("never takes an undo that was not answered along to another shot", async () => {
    const step = vi.spyOn(api, "step").mockRejectedValue(new ApiError(0, {}));
    const shot = await opened();
    const done = shot.step("undo");
    await vi.advanceTimersByTimeAsync(100);
    vi.spyOn(api, "shot").mockResolvedValue({ ...out(7, "other"), id: "t" });
    await shot.load("t");
    await vi.advanceTimersByTimeAsync(9000);
    await done;
    expect(step.mock.calls.map(([id]) => id)).toEqual(["s"]);
    expect([shot.revision, shot.document!.name]).toEqual([7, "other"]);
  });

  it("saves what is unsaved of a shot before another is opened, which stays until that is there", async () => {
    const save = vi.spyOn(api, "save").mockResolvedValue(out(2));
    const shot = await opened();
    shot.edit("name", rename("b"));
    let come: (o: ShotOut) => void = () => {};
    vi.spyOn(api, "shot").mockReturnValue(new Promise((resolve) => (come = resolve)));
    const loading = shot.load("t");
    await vi.advanceTimersByTimeAsync(10);
    expect(save.mock.calls.map(([id, , d]) => [id, (d as ShotDocument).name])).toEqual([["s", "b"]]);
    expect([shot.id, shot.document!.name, shot.state]).toEqual(["s", "b", "saved"]);
    come({ ...out(7, "other"), id: "t" });
    await loading;
    expect([shot.id, shot.document!.name]).toEqual(["t", "other"]);
  });

  it("stops at a conflict and keeps the edit in hand", async () => {
    vi.spyOn(api, "save").mockRejectedValue(new ApiError(409, { message: "changed" }));
    const shot = await opened();
    shot.edit("name", rename("b"));
    await vi.advanceTimersByTimeAsync(400);
    expect([shot.state, shot.document!.name]).toEqual(["conflict", "b"]);
  });

  it("takes quick presses of undo one after the other", async () => {
    let revision = 5;
    const step = vi.spyOn(api, "step").mockImplementation(async (_id, base) => {
      if (base !== revision) throw new ApiError(409, {});
      return out(++revision);
    });
    const shot = await opened();
    shot.revision = 5;
    await Promise.all([shot.step("undo"), shot.step("undo"), shot.step("undo")]);
    expect([step.mock.calls.length, shot.state, shot.revision]).toEqual([3, "saved", 8]);
  });
});
