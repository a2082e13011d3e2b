/** A write that comes this long after the last commit is committed at once; sooner ones wait for each other. */
const QUIET_MS = 2;

/**
 * Puts writes that arrive together into one transaction. After a quiet moment a write is committed at once, so that
 * whoever waits for it goes on; under load, all that is waiting when the event loop comes round goes together.
 * A write's promise resolves when its transaction is committed.
 */
export function groupCommit(transaction: (writes: readonly (() => void)[]) => void): {
  write(action: () => void): Promise<void>;
  settle(): void;
} {
  let waiting: { readonly action: () => void; readonly resolve: () => void; readonly reject: (error: unknown) => void }[] = [];
  let scheduled: NodeJS.Immediate | undefined;
  let last = -Infinity;
  const commit = (): void => {
    scheduled = undefined;
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
        if (scheduled) return;
        if (performance.now() - last > QUIET_MS) commit();
        else scheduled = setImmediate(commit);
      }),
    /** Commits what is waiting, now. */
    settle: () => {
      if (scheduled) clearImmediate(scheduled);
      commit();
    },
  };
}
