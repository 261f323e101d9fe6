import "fake-indexeddb/auto";
import { afterEach, beforeEach, describe, expect, it, vi } from "vitest";
import { Problem, type Edit } from "../api/client";
import { Outbox } from "./outbox";
import { store, type Waiting } from "./store";

const moved = (after: number): Edit[] => [{ path: "control/G1/e", before: 1, after }];
let open: Outbox<string>[] = [];

function box(send: (step: Waiting) => Promise<string>, taken: (answer: string) => void = () => undefined) {
  const made = new Outbox<string>("job", "planner", send, taken);
  open.push(made);
  return made;
}

/** The shortest pause in which the browser's database, as it is stood in for here, goes one step on. */
const { setImmediate } = globalThis as unknown as { setImmediate: (next: () => void) => void };
const tick = () => new Promise<void>((next) => setImmediate(next));

async function until(holds: () => boolean) {
  await vi.waitFor(() => expect(holds()).toBe(true), { timeout: 4000, interval: 10 });
}

beforeEach(() => store.waiting.clear());
afterEach(() => {
  for (const one of open) one.close();
  open = [];
});

describe("the outbox", () => {
  it("sends steps in order, each once, and keeps nothing that was taken", async () => {
    const sent: unknown[] = [];
    const b = box(async (step) => {
      sent.push(step.edits[0]!.after);
      return `taken ${step.id}`;
    });
    expect(await Promise.all([b.put(moved(2), 1), b.put(moved(3), 1)])).toEqual([true, true]);
    expect(sent).toEqual([2, 3]);
    expect(await store.waiting.count()).toBe(0);
    expect(b.snapshot()).toMatchObject({ entries: [], reached: true });
  });

  it("is written before it is sent", async () => {
    let written = 0;
    const b = box(async () => {
      written = await store.waiting.count();
      return "";
    });
    await b.put(moved(2), 7);
    expect(written).toBe(1);
  });

  it("keeps steps while the server is away, says so, and sends them when it is back", async () => {
    let away = true;
    const sent: unknown[] = [];
    const b = box(async (step) => {
      if (away) throw new Problem(0, "The server does not answer.");
      sent.push(step.edits[0]!.after);
      return "";
    });
    expect(await b.put(moved(2), 1)).toBe(true);
    await b.put(moved(3), 1);
    expect(b.snapshot()).toMatchObject({ reached: false });
    expect(b.snapshot().since).toBeTypeOf("number");
    expect(b.waiting).toHaveLength(2);
    away = false;
    await until(() => b.snapshot().entries.length === 0);
    expect(sent).toEqual([2, 3]);
    expect(b.snapshot()).toMatchObject({ reached: true, since: null });
  });

  it("survives a closed tab: another outbox of the same person sends what was left", async () => {
    const first = box(() => Promise.reject(new Problem(503, "restarting")));
    await first.put(moved(2), 4);
    first.close();
    const sent: Waiting[] = [];
    const second = box(async (step) => {
      sent.push(step);
      return "";
    });
    await until(() => sent.length === 1 && second.snapshot().entries.length === 0);
    expect(sent[0]).toMatchObject({ revision: 4, edits: moved(2) });
  });

  it("sends the same id again when the answer was lost", async () => {
    const ids: string[] = [];
    const b = box(async (step) => {
      ids.push(step.id);
      if (ids.length === 1) throw new Problem(502, "lost");
      return "";
    });
    await b.put(moved(2), 1);
    await until(() => ids.length === 2);
    expect(ids[0]).toBe(ids[1]);
  });

  it("takes back what may have been taken by a step that follows it, once", async () => {
    let away = true;
    const stands = [1];
    const b = box(async (step) => {
      for (const { before, after } of step.edits) if (stands.at(-1) === before) stands.push(after as number);
      if (away) throw new Problem(0, "The answer was lost.");
      return step.id;
    });
    await b.put(moved(2), 1);
    expect(stands).toEqual([1, 2]);
    expect(await b.takeBack()).toBe(true);
    expect(await b.takeBack()).toBe(false);
    expect(b.snapshot().entries.map((e) => e.edits[0]!.after)).toEqual([2, 1]);
    away = false;
    b.wake();
    await until(() => b.snapshot().entries.length === 0);
    expect(stands).toEqual([1, 2, 1]);
  });

  it("forgets a step that was taken back and then proves never to have been taken, with what takes it back", async () => {
    let answer = new Problem(0, "The answer was lost.");
    let asked = 0;
    const b = box(() => {
      asked += 1;
      return Promise.reject(answer);
    });
    await b.put(moved(2), 1);
    expect(await b.takeBack()).toBe(true);
    answer = new Problem(412, "Somebody changed this.");
    b.wake();
    await until(() => b.snapshot().entries.length === 0);
    const before = asked;
    await b.flush();
    expect(asked).toBe(before);
    expect(await store.waiting.count()).toBe(0);
  });

  it("sets a step aside that the server refuses, and goes on with the next", async () => {
    const b = box(async (step) => {
      if (step.edits[0]!.after === 2) throw new Problem(422, "Cannot be.", "control", "Type another.");
      return "";
    });
    expect(await b.put(moved(2), 1)).toBe(false);
    expect(await b.put([{ path: "control/G2/e", before: 5, after: 6 }], 1)).toBe(true);
    expect(b.snapshot().entries).toMatchObject([{ refused: { what: "Cannot be." }, edits: moved(2) }]);
    expect(await b.put(moved(3), 1)).toBe(true); // typed anew: what was said of it has no cause any more
    expect(b.snapshot().entries).toEqual([]);
    expect(await store.waiting.count()).toBe(0);
  });

  it("waits for a decision where two clash: mine on top, or theirs", async () => {
    const sent: Waiting[] = [];
    const b = box(async (step) => {
      sent.push(step);
      if (step.edits[0]!.before === 1)
        throw new Problem(412, "Changed", "", "", [{ path: "control/G1/e", mine: 2, theirs: 9 }]);
      return "";
    });
    expect(await b.put(moved(2), 1)).toBe(false);
    const clash = b.snapshot().entries[0]!;
    expect(clash.conflicts).toEqual([{ path: "control/G1/e", mine: 2, theirs: 9 }]);
    await b.decide(clash, "mine");
    expect(sent.at(-1)!.edits).toEqual([{ path: "control/G1/e", before: 9, after: 2 }]);
    expect(b.snapshot().entries).toEqual([]);
    await b.put([...moved(4), { path: "control/G2/e", before: 5, after: 6 }], 1);
    await b.decide(b.snapshot().entries[0]!, "theirs");
    expect(sent.at(-1)!.edits).toEqual([{ path: "control/G2/e", before: 5, after: 6 }]);
  });

  it("stops when the session has run out, and goes on after signing in", async () => {
    let signedIn = false;
    const b = box(async () => {
      if (!signedIn) throw new Problem(401, "You are not signed in.");
      return "";
    });
    void b.put(moved(2), 1);
    await until(() => b.snapshot().expired);
    expect(b.waiting).toHaveLength(1);
    signedIn = true;
    b.wake();
    await until(() => b.snapshot().entries.length === 0);
  });

  it("takes the newest step back while it has not been sent", async () => {
    const b = box(() => Promise.reject(new Problem(0, "away")));
    await b.put(moved(2), 1);
    await b.put(moved(3), 1);
    expect(await b.takeBack()).toBe(true);
    expect(b.waiting.map((e) => e.edits[0]!.after)).toEqual([2]);
  });

  it("what was taken back is never sent, and what was sent is never taken back, whenever one asks", async () => {
    for (let ticks = 0; ticks < 60; ticks++) {
      const sent: string[] = [];
      const b = box(async (step) => {
        sent.push(step.id);
        return "";
      });
      await b.flush(); // as on an open sheet: nothing else is under way
      void b.put(moved(2), 1);
      for (let k = 0; k < ticks; k++) await tick();
      const back = await b.takeBack();
      await b.flush();
      expect(`${ticks}: ${back ? 0 : 1}`).toBe(`${ticks}: ${sent.length}`);
      expect(await store.waiting.count()).toBe(0);
      b.close();
    }
  });
});
