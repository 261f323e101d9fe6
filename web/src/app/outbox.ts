import { Problem, type Edit, type Entry } from "../api/client";
import { store, type Waiting } from "./store";

/** How it stands with what was typed. since: when the server was last reached, once it no longer is. */
export interface OutboxState {
  entries: Waiting[];
  sending: boolean;
  reached: boolean;
  since: number | null;
  expired: boolean;
}

const PAUSES = [500, 1000, 2000, 4000, 8000];

/**
 * Every edit is written here before it is sent, and leaves only when the server has taken it or a person let it go.
 * Steps go one after another, in the order they were made; one that the server refuses is set aside, one that clashes with
 * somebody else's waits for a decision. Several tabs share one outbox; one of them sends at a time.
 */
export class Outbox<Answer> {
  private state: OutboxState = { entries: [], sending: false, reached: true, since: null, expired: false };
  private listeners = new Set<() => void>();
  private settled = new Map<string, (taken: boolean) => void>();
  private timer: ReturnType<typeof setTimeout> | null = null;
  private failures = 0;
  private closed = false;
  private last = Date.now();
  private running: Promise<void> | null = null;
  private written: Promise<unknown> = Promise.resolve();
  private tail: Promise<unknown> = Promise.resolve();
  private channel = typeof BroadcastChannel === "undefined" ? null : new BroadcastChannel("kardo-outbox");

  constructor(
    private job: string,
    private user: string,
    private send: (step: Waiting) => Promise<Answer | null>,
    private taken: (answer: Answer) => void,
  ) {
    this.channel?.addEventListener("message", () => void this.reload());
    void this.reload().then(() => this.flush());
  }

  subscribe = (listener: () => void) => {
    this.listeners.add(listener);
    return () => void this.listeners.delete(listener);
  };

  snapshot = (): OutboxState => this.state;

  /** Steps that can still be sent, without those set aside. */
  get waiting(): Waiting[] {
    return this.state.entries.filter((e) => !e.refused);
  }

  /** Take a step. Resolves once the server took it (true), refused it or found a conflict (false), or could not be reached,
   * when the step is safe here (true). One that was refused goes when all that it wanted to change is typed anew. */
  async put(edits: Edit[], revision: number): Promise<boolean> {
    const anew = new Set(edits.map((e) => e.path));
    const refused = this.state.entries.filter((e) => e.refused && e.edits.length);
    for (const entry of refused.filter((e) => e.edits.every((edit) => anew.has(edit.path)))) await this.forget(entry);
    return this.add({ edits, revision });
  }

  /** Take entries of the book, as `put` takes edits. They are never taken back: a later entry corrects them. */
  putEntries(entries: Entry[]): Promise<boolean> {
    return this.add({ edits: [], revision: 0, entries });
  }

  private async add(what: Pick<Waiting, "edits" | "revision" | "entries">): Promise<boolean> {
    const entry: Waiting = { id: newId(), job: this.job, user: this.user, at: Date.now(), ...what };
    const outcome = new Promise<boolean>((resolve) => this.settled.set(entry.id, resolve));
    await this.write(entry);
    void this.flush();
    return outcome;
  }

  /** The newest step goes again before it was sent; false where there is none left. One that was sent without an answer may
   * have been taken: it stays, and a step that takes it back follows it. Never beside a sending, which could have read the
   * step already and would send it after all. */
  async takeBack(): Promise<boolean> {
    await this.written;
    return this.exclusively(async () => {
      await this.reload();
      const undone = new Set(this.waiting.map((e) => e.undoes));
      const newest = this.waiting.filter((e) => !e.entries && !e.undoes && !undone.has(e.id)).at(-1);
      if (!newest) return false;
      if (!newest.unsure) {
        await this.forget(newest);
        return true;
      }
      const edits = newest.edits.map((e) => ({ ...e, before: e.after, after: e.before })).reverse();
      await this.write({
        ...newest,
        seq: undefined,
        id: newId(),
        edits,
        at: Date.now(),
        unsure: undefined,
        undoes: newest.id,
      });
      void this.flush();
      return true;
    });
  }

  private async write(entry: Waiting): Promise<void> {
    this.set({ entries: [...this.state.entries, entry] });
    const row = { ...entry };
    delete row.seq;
    const writing = store.waiting.add(row);
    this.written = Promise.allSettled([this.written, writing]);
    entry.seq = await writing;
    this.channel?.postMessage("");
  }

  /** Let a step go: one that was refused, or the conflicting part of one. */
  async forget(entry: Waiting): Promise<void> {
    if (entry.seq) await store.waiting.delete(entry.seq);
    this.settle(entry, false);
    this.set({ entries: this.state.entries.filter((e) => e.id !== entry.id) });
    this.channel?.postMessage("");
    void this.flush();
  }

  /** Settle a step's conflicts: put mine on top of what stands there now, or leave theirs. */
  async decide(entry: Waiting, keep: "mine" | "theirs"): Promise<void> {
    const clashes = new Map(entry.conflicts?.map((c) => [c.path, c.theirs]));
    const edits = entry.edits.flatMap((edit) => {
      if (!clashes.has(edit.path)) return [edit];
      return keep === "mine" ? [{ ...edit, before: clashes.get(edit.path) }] : [];
    });
    if (!edits.length) return this.forget(entry);
    await this.replace({ ...entry, edits, conflicts: undefined });
    await this.flush();
  }

  /** Send a step that was set aside once more. */
  async retry(entry: Waiting): Promise<void> {
    await this.replace({ ...entry, refused: undefined });
    await this.flush();
  }

  /** The person signed in again, or the server is known to be back. */
  wake(): void {
    this.failures = 0;
    this.set({ expired: false });
    void this.flush();
  }

  close(): void {
    this.closed = true;
    if (this.timer) clearTimeout(this.timer);
    this.channel?.close();
  }

  /** Send what waits, as far as it goes. */
  flush(): Promise<void> {
    this.running ??= this.exclusively(() => this.sendAll()).finally(() => (this.running = null));
    return this.running;
  }

  /** One after another: across all tabs where the browser has locks, else within this one. */
  private exclusively<T>(work: () => Promise<T>): Promise<T> {
    const locks = globalThis.navigator?.locks;
    if (locks) return locks.request(`kardo-outbox-${this.job}`, work) as Promise<T>;
    const mine = this.tail.then(work);
    this.tail = mine.catch(() => undefined);
    return mine;
  }

  private async sendAll(): Promise<void> {
    if (this.timer) clearTimeout(this.timer);
    for (;;) {
      await this.reload();
      const next = this.waiting[0];
      if (this.closed || !next?.seq || next.conflicts || this.state.expired) return;
      this.set({ sending: true });
      try {
        const answer = await this.send(next);
        await store.waiting.delete(next.seq);
        this.reachedAgain();
        if (answer) this.taken(answer);
        this.settle(next, true);
        this.set({ entries: this.state.entries.filter((e) => e.id !== next.id) });
        this.channel?.postMessage("");
      } catch (error) {
        if (!(await this.failed(next, error))) return;
      } finally {
        this.set({ sending: false });
      }
    }
  }

  /** What a step's failure means; true where the next step can go on. */
  private async failed(step: Waiting, error: unknown): Promise<boolean> {
    const problem = error instanceof Problem ? error : new Problem(0, String(error));
    if (problem.away) {
      if (!step.unsure) await this.replace({ ...step, unsure: true });
      this.notReached();
      return false;
    }
    this.reachedAgain();
    if (problem.signedOut) {
      this.set({ expired: true });
      return false;
    }
    const follower = this.waiting.find((e) => e.undoes === step.id);
    if (follower) {
      await this.forget(follower); // it never came to be, and is not wanted any more
      await this.forget(step);
      return true;
    }
    const outcome =
      problem.status === 412
        ? { conflicts: problem.conflicts }
        : { refused: { what: problem.what, where: problem.where, mend: problem.mend, drawn: problem.drawn } };
    await this.replace({ ...step, unsure: undefined, ...outcome });
    this.settle(step, false);
    return problem.status !== 412;
  }

  private notReached(): void {
    this.set({ reached: false, since: this.state.since ?? this.last });
    for (const entry of this.state.entries) this.settle(entry, true);
    if (this.closed) return;
    const pause = PAUSES[Math.min(this.failures, PAUSES.length - 1)]!;
    this.failures += 1;
    this.timer = setTimeout(() => void this.flush(), pause);
  }

  private reachedAgain(): void {
    this.failures = 0;
    this.last = Date.now();
    this.set({ reached: true, since: null });
  }

  private async replace(entry: Waiting): Promise<void> {
    await store.waiting.put(entry);
    this.set({ entries: this.state.entries.map((e) => (e.id === entry.id ? entry : e)) });
    this.channel?.postMessage("");
  }

  private async reload(): Promise<void> {
    if (this.closed) return;
    const kept = await store.waiting.where({ job: this.job, user: this.user }).sortBy("seq");
    const known = new Set(kept.map((e) => e.id));
    const unwritten = this.state.entries.filter((e) => !e.seq && !known.has(e.id));
    this.set({ entries: [...kept, ...unwritten] });
  }

  private settle(entry: Waiting, taken: boolean): void {
    this.settled.get(entry.id)?.(taken);
    this.settled.delete(entry.id);
  }

  private set(change: Partial<OutboxState>): void {
    const next = { ...this.state, ...change };
    if (JSON.stringify(next) === JSON.stringify(this.state)) return;
    this.state = next;
    for (const listener of this.listeners) listener();
  }
}

/** An id that the server takes once. */
export function newId(): string {
  return crypto.randomUUID();
}
