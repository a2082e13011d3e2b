import type { CancelSignal } from "./clock.js";

/** A signal of one's own, aborted by hand or with another. Whoever made it lets go of the other when done. */
export interface OwnSignal {
  readonly signal: CancelSignal;
  abort(): void;
  release(): void;
}

/** A signal of one's own; aborted with its parent, too, where there is one. */
export function ownSignal(parent?: CancelSignal): OwnSignal {
  const listeners = new Set<() => void>();
  let aborted = parent?.aborted === true;
  const abort = (): void => {
    aborted = true;
    for (const listener of listeners) listener();
    listeners.clear();
  };
  if (!aborted) parent?.addEventListener("abort", abort, { once: true });
  return {
    signal: {
      get aborted() {
        return aborted;
      },
      get reason() {
        return parent?.reason;
      },
      addEventListener: (_type, listener) => void listeners.add(listener),
      removeEventListener: (_type, listener) => void listeners.delete(listener),
    },
    abort,
    release: () => parent?.removeEventListener("abort", abort),
  };
}

/**
 * One listener on a caller's signal, however many requests listen to the relay: run-long signals neither leak
 * listeners nor pay for hundreds of them.
 */
export function relaySignal(signal: CancelSignal | undefined): { readonly signal: CancelSignal | undefined; release(): void } {
  return signal ? ownSignal(signal) : { signal: undefined, release: () => undefined };
}
