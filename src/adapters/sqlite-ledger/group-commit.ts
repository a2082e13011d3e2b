/** A write that comes this long after the last commit is committed at once; sooner ones wait for each other. */
const QUIET_MS = 2;
/** Writes that come faster than this, on average, wait a little longer for each other: a commit costs as much for one as for ten. */
const BUSY_MS = 1.5;
const WINDOW_MS = 4;
/** How much one interval counts in the average. */
const WEIGHT = 0.05;

/**
 * Puts writes that arrive together into one transaction. After a quiet moment a write is committed at once, so that
 * whoever waits for it goes on; under load, all that is waiting when the event loop comes round, or a few milliseconds later, goes
 * together.
 * A write's promise resolves when its transaction is committed.
 */
export function groupCommit(transaction: (writes: readonly (() => void)[]) => void): {
  write(action: () => void): Promise<void>;
  settle(): void;
} {
  let waiting: { readonly action: () => void; readonly resolve: () => void; readonly reject: (error: unknown) => void }[] = [];
  let soon: NodeJS.Immediate | undefined;
  let later: NodeJS.Timeout | undefined;
  let last = -Infinity;
  let written = -Infinity;
  /** The average time between writes. */
  let interval = Infinity;
  const commit = (): void => {
    soon = undefined;
    later = undefined;
    last = performance.now();
    const group = waiting;
    waiting = [];
    if (group.length === 0) return;
    try {
      transaction(group.map((write) => write.action));
      for (const write of group) write.resolve();
    } catch (error) {
      if (group.length === 1) return group[0]!.reject(error);
      // One that cannot be written takes no others with it.
      for (const write of group) {
        try {
          transaction([write.action]);
          write.resolve();
        } catch (own) {
          write.reject(own);
        }
      }
    }
  };
  return {
    write: (action) =>
      new Promise((resolve, reject) => {
        waiting.push({ action, resolve, reject });
        const now = performance.now();
        const gap = Math.min(now - written, 10 * BUSY_MS);
        interval = interval === Infinity ? gap : interval + WEIGHT * (gap - interval);
        written = now;
        if (soon ?? later) return;
        if (interval < BUSY_MS) later = setTimeout(commit, WINDOW_MS);
        else if (now - last > QUIET_MS) commit();
        else soon = setImmediate(commit);
      }),
    /** Commits what is waiting, now. */
    settle: () => {
      if (soon) clearImmediate(soon);
      if (later) clearTimeout(later);
      commit();
    },
  };
}
