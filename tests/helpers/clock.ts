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

export interface SteeredClock extends Clock {
  /** Sets the time, forwards or back, and wakes whoever's time has come. */
  set(at: number): void;
  advance(ms: number): void;
}

/** Time that stands still until the test moves it, on or back; short waits of up to a second end by themselves. */
export function steeredClock(start: number): SteeredClock {
  let now = start;
  const sleepers = new Set<{ readonly at: number; readonly wake: () => void }>();
  const set = (at: number): void => {
    now = at;
    for (const sleeper of sleepers) if (sleeper.at <= now) sleeper.wake();
  };
  return {
    now: () => now,
    random: () => 0.5,
    set,
    advance: (ms) => set(now + ms),
    sleep: (ms, signal) =>
      new Promise((resolve, reject) => {
        if (signal?.aborted) return reject(new Error("aborted"));
        const end = (then: () => void): void => {
          sleepers.delete(sleeper);
          clearTimeout(timer);
          then();
        };
        const sleeper = { at: now + ms, wake: () => end(resolve) };
        sleepers.add(sleeper);
        const timer = setTimeout(
          () => {
            if (ms > 1_000) return;
            now = Math.max(now, sleeper.at);
            sleeper.wake();
          },
          Math.min(ms, 1_000),
        );
        signal?.addEventListener("abort", () => end(() => reject(new Error("aborted"))), { once: true });
      }),
  };
}
