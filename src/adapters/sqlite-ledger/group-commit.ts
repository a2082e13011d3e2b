/**
 * Puts writes that arrive together into one transaction: all that is waiting when the event loop comes round.
 * A write's promise resolves when its transaction is committed.
 */
export function groupCommit(transaction: (writes: readonly (() => void)[]) => void): { write(action: () => void): Promise<void>; settle(): void } {
  let waiting: { readonly action: () => void; readonly resolve: () => void; readonly reject: (error: unknown) => void }[] = [];
  let scheduled: NodeJS.Immediate | undefined;
  const commit = (): void => {
    scheduled = undefined;
    const group = waiting;
    waiting = [];
    if (group.length === 0) return;
    try {
      transaction(group.map((write) => write.action));
      for (const write of group) write.resolve();
    } catch (error) {
      for (const write of group) write.reject(error);
    }
  };
  return {
    write: (action) =>
      new Promise((resolve, reject) => {
        waiting.push({ action, resolve, reject });
        scheduled ??= setImmediate(commit);
      }),
    /** Commits what is waiting, now. */
    settle: () => {
      if (scheduled) clearImmediate(scheduled);
      commit();
    },
  };
}
