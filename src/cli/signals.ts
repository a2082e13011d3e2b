import { note } from "./print/print.js";

interface Interruptible {
  readonly signals: { readonly stop: AbortSignal; readonly signal: AbortSignal };
  release(): void;
}

const NAMES = ["SIGINT", "SIGTERM", "SIGHUP"] as const;

/** Ctrl-C finishes what is in flight, a second one drops it. @param isQuiet nothing is said of it: another process ends this one. */
export function interruptible(isQuiet = false): Interruptible {
  const stop = new AbortController();
  const drop = new AbortController();
  const onInterrupt = (): void => {
    if (stop.signal.aborted) drop.abort();
    else if (!isQuiet) note("\nFinishing what is in flight; press Ctrl-C again to drop it.");
    stop.abort();
  };
  for (const name of NAMES) process.on(name, onInterrupt);
  return {
    signals: { stop: stop.signal, signal: drop.signal },
    release: () => {
      for (const name of NAMES) process.off(name, onInterrupt);
    },
  };
}

/** Aborted by Ctrl-C, for what serves or watches until then. */
export function untilInterrupted(): AbortSignal {
  const ended = new AbortController();
  for (const name of NAMES) process.once(name, () => ended.abort());
  return ended.signal;
}
