import type { Entry } from "../../core/index.js";
import type { Statements } from "./store.js";

/** What is written: an entry of records, or statements of its own. */
type Write = { readonly entry: Entry } | { readonly work: (sql: Statements) => Promise<unknown> };

interface Waiting {
  readonly write: Write;
  readonly resolve: () => void;
  readonly reject: (error: unknown) => void;
}

/** Writes that arrive within this time go together: a commit costs as much for one as for many. */
const WINDOW_MS = 3;
/** Entries of one commit, so that none holds its rows for long. */
const MOST = 2_000;

/** How a group is written: all of it or nothing, and never twice. */
export type Commit = (steps: readonly Step[]) => Promise<void>;

/** Entries on end are one step. */
export type Step = { readonly entries: readonly Entry[] } | { readonly work: (sql: Statements) => Promise<unknown> };

/**
 * Puts writes that arrive together into one transaction, one transaction at a time, in their order. A write's promise resolves when its
 * transaction is committed.
 */
export function writeGroups(commit: Commit): { write(write: Write): Promise<void>; settle(): Promise<void> } {
  let waiting: Waiting[] = [];
  let under: Promise<void> | undefined;
  const commitAll = async (): Promise<void> => {
    await new Promise<void>((resolve) => setTimeout(resolve, WINDOW_MS));
    while (waiting.length > 0) {
      const group = waiting.slice(0, MOST);
      waiting = waiting.slice(MOST);
      try {
        await commit(stepsOf(group));
        for (const { resolve } of group) resolve();
      } catch (error) {
        if (group.length === 1) group[0]!.reject(error);
        // One that cannot be written takes no others with it.
        else for (const one of group) await commit(stepsOf([one])).then(one.resolve, one.reject);
      }
    }
    under = undefined;
  };
  const begin = (): Promise<void> => (under ??= commitAll());
  return {
    write: (write) =>
      new Promise((resolve, reject) => {
        waiting.push({ write, resolve, reject });
        void begin();
      }),
    async settle() {
      while (waiting.length > 0 || under) await begin();
    },
  };
}

function stepsOf(group: readonly Waiting[]): Step[] {
  const steps: Step[] = [];
  let entries: Entry[] | undefined;
  for (const { write } of group) {
    if ("work" in write) {
      steps.push(write);
      entries = undefined;
    } else if (entries) entries.push(write.entry);
    else steps.push({ entries: (entries = [write.entry]) });
  }
  return steps;
}
