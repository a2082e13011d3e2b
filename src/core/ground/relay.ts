import type { CancelSignal } from "./clock.js";

/**
 * One listener on a caller's signal, however many requests listen to the relay: run-long signals neither leak
 * listeners nor pay for hundreds of them.
 */
export function relaySignal(signal: CancelSignal | undefined): { readonly signal: CancelSignal | undefined; release(): void } {
  if (!signal) return { signal: undefined, release: () => undefined };
  const listeners = new Set<() => void>();
  const onAbort = (): void => {
    for (const listener of listeners) listener();
    listeners.clear();
  };
  signal.addEventListener("abort", onAbort, { once: true });
  return {
    signal: {
      get aborted() {
        return signal.aborted;
      },
      get reason() {
        return signal.reason;
      },
      addEventListener: (_type, listener) => void listeners.add(listener),
      removeEventListener: (_type, listener) => void listeners.delete(listener),
    },
    release: () => signal.removeEventListener("abort", onAbort),
  };
}

/** A signal of one's own, aborted by hand or with another. */
export function ownSignal(parent?: CancelSignal): { readonly signal: CancelSignal; abort(): void; release(): void } {
  const listeners = new Set<() => void>();
  let aborted = false;
  const abort = (): void => {
    if (aborted) return;
    aborted = true;
    for (const listener of listeners) listener();
    listeners.clear();
  };
  if (parent?.aborted) aborted = true;
  else parent?.addEventListener("abort", abort, { once: true });
  return {
    signal: {
      get aborted() {
        return aborted;
      },
      addEventListener: (_type, listener) => void listeners.add(listener),
      removeEventListener: (_type, listener) => void listeners.delete(listener),
    },
    abort,
    release: () => parent?.removeEventListener("abort", abort),
  };
}
