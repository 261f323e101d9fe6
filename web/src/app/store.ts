import Dexie, { type Table } from "dexie";
import type { Conflict, SketchedFault, Edit, Entry } from "../api/client";

/** A step of work that the server has not yet taken. It keeps its place until it is taken, settled or let go. */
export interface Waiting {
  seq?: number;
  id: string;
  job: string;
  user: string;
  edits: Edit[];
  /** Entries of the book, in the place of edits: the step adds them. */
  entries?: Entry[];
  /** The revision of the plan that the values were formed on. */
  revision: number;
  at: number;
  /** Sent, and no answer came: whether the server took it is not known. */
  unsure?: boolean;
  /** The step that this one takes back. */
  undoes?: string;
  conflicts?: Conflict[];
  refused?: { what: string; where: string; mend: string; drawn?: SketchedFault | null };
}

/** What outlives a closed tab, in the browser's own database. */
class Store extends Dexie {
  waiting!: Table<Waiting, number>;
  kept!: Table<{ key: string; value: string }, string>;
  /** Pictures that the server has not yet taken, by the digest of their bytes. */
  pictures!: Table<{ digest: string; body: Blob }, string>;

  constructor() {
    super("kardo");
    this.version(1).stores({ waiting: "++seq, id, [job+user]", kept: "key" });
    this.version(2).stores({ pictures: "digest" });
  }
}

export const store = new Store();

/** Answers of the server, kept so that a job opens while it is away. */
export const answers = {
  getItem: async (key: string) => (await store.kept.get(key))?.value ?? null,
  setItem: async (key: string, value: string) => void (await store.kept.put({ key, value })),
  removeItem: async (key: string) => void (await store.kept.delete(key)),
};
