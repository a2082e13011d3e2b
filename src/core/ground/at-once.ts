import type { CancelSignal } from "./clock.js";
import { toldOrAborted } from "./relay.js";

/** Runs tasks, at most `limit` at once. Whoever starts one waits for a free place, so nothing piles up. */
export interface AtOnce {
  /**
   * Resolves when the task has begun, not when it is done; with `false`, where the signal is aborted before there was a place. The task must
   * not reject.
   */
  start(task: () => Promise<void>, signal?: CancelSignal): Promise<boolean>;
  /** Resolves when all tasks are done. */
  idle(): Promise<void>;
  /** Resolves when the next task is done; at once when none is running. */
  next(): Promise<void>;
  readonly running: number;
  /** Lets more run, or fewer; what runs goes on. */
  resize(limit: number): void;
}

export function atOnce(most: number): AtOnce {
  let limit = most;
  let running = 0;
  const waiting: (() => void)[] = [];
  let emptied: (() => void) | undefined;
  let watching: (() => void)[] = [];
  const finish = (): void => {
    running--;
    waiting.shift()?.();
    const told = watching;
    watching = [];
    for (const tell of told) tell();
    if (running === 0) emptied?.();
  };
  return {
    async start(task, signal) {
      while (running >= limit) {
        if (signal?.aborted) return false;
        await toldOrAborted(waiting, signal);
      }
      running++;
      void task().finally(finish);
      return true;
    },
    async idle() {
      if (running > 0) await new Promise<void>((resolve) => (emptied = resolve));
    },
    async next() {
      if (running > 0) await new Promise<void>((resolve) => watching.push(resolve));
    },
    get running() {
      return running;
    },
    resize(to) {
      limit = to;
      for (const wake of waiting.splice(0, Math.max(0, limit - running))) wake();
    },
  };
}
