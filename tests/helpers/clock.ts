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

export interface VirtualClock extends Clock {
  /** Lets time pass, from one sleeper's end to the next, until the work is done. */
  run<T>(work: Promise<T>): Promise<T>;
}

/** Time that jumps to whoever wakes next once nothing else is to be done: many may sleep at once, and minutes pass in no time. */
export function virtualClock(): VirtualClock {
  let now = Date.UTC(2026, 7, 3, 8);
  let draws = 0;
  let sleepers: { at: number; wake: () => void }[] = [];
  return {
    now: () => now,
    random: () => (++draws * 0.6180339887) % 1,
    sleep: (ms, signal) =>
      new Promise((resolve, reject) => {
        if (signal?.aborted) return reject(new Error("aborted"));
        const sleeper = { at: now + ms, wake: resolve };
        sleepers.push(sleeper);
        signal?.addEventListener(
          "abort",
          () => {
            sleepers = sleepers.filter((other) => other !== sleeper);
            reject(new Error("aborted"));
          },
          { once: true },
        );
      }),
    async run(work) {
      let done = false;
      const mark = (): void => void (done = true);
      work.then(mark, mark);
      for (;;) {
        for (let i = 0; i < 3; i++) await new Promise<void>((resolve) => setImmediate(resolve));
        if (done) return work;
        const next = sleepers.reduce<number>((least, { at }) => Math.min(least, at), Infinity);
        if (next === Infinity) throw new Error("nobody sleeps, and the work is not done");
        now = Math.max(now, next);
        const awake = sleepers.filter(({ at }) => at <= now);
        sleepers = sleepers.filter(({ at }) => at > now);
        for (const { wake } of awake) wake();
      }
    },
  };
}
