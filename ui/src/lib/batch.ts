/** Requests for one thing each, sent together: a browser has few connections, and saving waits for none of these. */

export type Outcome<R> = { value: R } | { error: Error };

/**
 * A function that asks for one item, of one that asks for many. What is asked for in the same moment, or while others
 * are under way, goes together.
 *
 * most: items in a request; atOnce: requests under way
 */
export function batched<A, R>(
  many: (items: A[]) => Promise<Outcome<R>[]>,
  most: number,
  atOnce = 1,
): (item: A) => Promise<R> {
  interface Waiting {
    item: A;
    done: (value: R) => void;
    failed: (error: unknown) => void;
  }
  let waiting: Waiting[] = [];
  let underWay = 0;
  let called = false;

  async function send(batch: Waiting[]): Promise<void> {
    try {
      const out = await many(batch.map((w) => w.item));
      batch.forEach((w, k) => {
        const one = out[k]!;
        if ("error" in one) w.failed(one.error);
        else w.done(one.value);
      });
    } catch (error) {
      for (const w of batch) w.failed(error);
    }
  }

  function go(): void {
    called = false;
    while (waiting.length && underWay < atOnce) {
      const batch = waiting.slice(0, most);
      waiting = waiting.slice(most);
      underWay++;
      void send(batch).finally(() => {
        underWay--;
        go();
      });
    }
  }

  return (item) =>
    new Promise((done, failed) => {
      waiting.push({ item, done, failed });
      if (called) return;
      called = true;
      queueMicrotask(go);
    });
}
