import type { CancelSignal, Clock } from "../../core/index.js";

/**
 * The machine's own time and chance. Runs in Node and in a browser.
 *
 * @example
 * ```ts
 * import { systemClock } from "yoroshi";
 *
 * const clock = systemClock();
 * const before = clock.now();
 * await clock.sleep(20);
 * clock.now() > before; // => true
 * ```
 */
export function systemClock(): Clock {
  return { now: () => Date.now(), random: () => Math.random(), sleep };
}

function sleep(ms: number, signal?: CancelSignal): Promise<void> {
  return new Promise((resolve, reject) => {
    if (signal?.aborted) return reject(signal.reason);
    const onAbort = (): void => {
      clearTimeout(timer);
      reject(signal!.reason);
    };
    const timer = setTimeout(() => {
      signal?.removeEventListener("abort", onAbort);
      resolve();
    }, ms);
    signal?.addEventListener("abort", onAbort, { once: true });
  });
}
