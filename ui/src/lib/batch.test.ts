import { describe, expect, it } from "vitest";
import { batched, type Outcome } from "./batch";

const settled = (): Promise<void> => new Promise((done) => setTimeout(done, 2));

describe("what is asked for one by one and sent together", () => {
  it("goes in as few requests as it fits into, in order, and each gets its own answer", async () => {
    const sent: number[][] = [];
    const square = batched<number, number>(async (items) => {
      sent.push(items);
      return items.map((x) => ({ value: x * x }));
    }, 3);
    const answers = await Promise.all([1, 2, 3, 4, 5, 6, 7].map(square));
    expect(answers).toEqual([1, 4, 9, 16, 25, 36, 49]);
    expect(sent).toEqual([[1, 2, 3], [4, 5, 6], [7]]); // oxfmt-ignore
    expect(await square(9)).toBe(81);
  });

  it("keeps to so many requests at once, and gathers what comes meanwhile", async () => {
    const gates: (() => void)[] = [];
    const sent: string[][] = [];
    const ask = batched<string, string>(
      (items) => {
        sent.push(items);
        return new Promise((done) => gates.push(() => done(items.map((value) => ({ value })))));
      },
      10,
      1,
    );
    const first = ask("a");
    await settled();
    const rest = [ask("b"), ask("c")];
    await settled();
    expect(sent).toEqual([["a"]]);
    gates.shift()!();
    expect(await first).toBe("a");
    await settled();
    expect(sent[1]).toEqual(["b", "c"]);
    gates.shift()!();
    expect(await Promise.all(rest)).toEqual(["b", "c"]);
  });

  it("fails those that failed and no others; all of a request that had no answer", async () => {
    let away = false;
    const ask = batched<number, number>(async (items): Promise<Outcome<number>[]> => {
      if (away) throw new Error("away");
      return items.map((x) => (x % 2 ? { error: new Error(`odd ${x}`) } : { value: x }));
    }, 10);
    const found = await Promise.allSettled([1, 2, 3].map(ask));
    expect(found.map((f) => f.status)).toEqual(["rejected", "fulfilled", "rejected"]);
    away = true;
    await expect(ask(2)).rejects.toThrow("away");
    away = false;
    expect(await ask(2)).toBe(2);
  });
});
