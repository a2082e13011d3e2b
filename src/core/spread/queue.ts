/** Some rows of a run, by the run and their number in it. */
export interface ChunkName {
  readonly run: string;
  readonly n: number;
}

/** Somebody who takes chunks. */
export interface Taking {
  /** Takes no more; resolves when those in hand are done with. */
  stop(): Promise<void>;
}

/**
 * The port to a queue that hands chunks out, each to one worker at a time as far as that can be told. It may lose what it holds, and hand
 * a chunk out twice: the ledger is the truth, and adding a chunk again that is still there does nothing.
 */
export interface WorkQueue {
  add(chunks: readonly ChunkName[]): Promise<void>;
  /**
   * Hands out the chunks of a run, so many at a time.
   *
   * @param take one that throws is handed out again later.
   */
  take(run: string, atOnce: number, take: (chunk: ChunkName) => Promise<void>): Promise<Taking>;
  /** Forgets a run's chunks. */
  forget(run: string): Promise<void>;
  close(): Promise<void>;
}

/** A queue within the process: for tests, and workers beside the planner. */
export function memoryQueue(): WorkQueue {
  const waiting = new Map<string, ChunkName[]>();
  const inHand = new Set<string>();
  const wakes = new Set<() => void>();
  const id = ({ run, n }: ChunkName): string => JSON.stringify([run, n]);
  const wake = (): void => {
    for (const one of wakes) one();
  };
  const push = (chunk: ChunkName): void => {
    const all = waiting.get(chunk.run) ?? [];
    if (inHand.has(id(chunk)) || all.some(({ n }) => n === chunk.n)) return;
    waiting.set(chunk.run, [...all, chunk]);
  };
  return {
    async add(chunks) {
      for (const chunk of chunks) push(chunk);
      wake();
    },
    async take(run, atOnce, take) {
      let isOver = false;
      const one = async (): Promise<void> => {
        while (!isOver) {
          const chunk = waiting.get(run)?.shift();
          if (!chunk) {
            await new Promise<void>((resolve) => wakes.add(resolve));
            continue;
          }
          inHand.add(id(chunk));
          try {
            await take(chunk);
            inHand.delete(id(chunk));
          } catch {
            inHand.delete(id(chunk));
            push(chunk);
          }
        }
      };
      const hands = Array.from({ length: atOnce }, one);
      return {
        async stop() {
          isOver = true;
          wake();
          await Promise.all(hands);
        },
      };
    },
    async forget(run) {
      waiting.delete(run);
    },
    async close() {
      wake();
    },
  };
}
