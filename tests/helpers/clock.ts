import type { Clock } from "../../src/core/index.js";

export interface FakeClock extends Clock {
  /** What was slept, in order. */
  readonly slept: number[];
  advance(ms: number): void;
}

/** Time that passes only when somebody sleeps, and chance that is the stated number, or the same sequence each time. */
export function fakeClock({ random }: { random?: number } = {}): FakeClock {
  let draws = 0;
  let now = Date.UTC(2026, 7, 3, 8);
  const slept: number[] = [];
  return {
    slept,
    now: () => now,
    random: () => random ?? (++draws * 0.6180339887) % 1,
    advance: (ms) => void (now += ms),
    sleep: async (ms, signal) => {
      if (signal?.aborted) throw signal.reason;
      slept.push(ms);
      now += ms;
    },
  };
}
