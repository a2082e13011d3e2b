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

/** Aborted as soon as one of two is; for waits, whose listeners hear of it once or twice. */
export function eitherSignal(one: CancelSignal | undefined, other: CancelSignal | undefined): CancelSignal | undefined {
  if (!one || !other) return one ?? other;
  return {
    get aborted() {
      return one.aborted || other.aborted;
    },
    get reason() {
      return one.aborted ? one.reason : other.reason;
    },
    addEventListener(type, listener, options) {
      one.addEventListener(type, listener, options);
      other.addEventListener(type, listener, options);
    },
    removeEventListener(type, listener) {
      one.removeEventListener(type, listener);
      other.removeEventListener(type, listener);
    },
  };
}

/** Waits until it is told among others, or until a signal is aborted: then it is no longer among them. */
export async function toldOrAborted(waiting: (() => void)[], signal: CancelSignal | undefined): Promise<void> {
  await new Promise<void>((resolve) => {
    const end = (): void => {
      const at = waiting.indexOf(tell);
      if (at >= 0) waiting.splice(at, 1);
      resolve();
    };
    const tell = (): void => {
      signal?.removeEventListener("abort", end);
      resolve();
    };
    waiting.push(tell);
    signal?.addEventListener("abort", end, { once: true });
  });
}

/**
 * One listener on a caller's signal, however many requests listen to the relay: run-long signals neither leak
 * listeners nor pay for hundreds of them.
 */
export function relaySignal(signal: CancelSignal | undefined): { readonly signal: CancelSignal | undefined; release(): void } {
  return signal ? ownSignal(signal) : { signal: undefined, release: () => undefined };
}
