/**
 * Time and chance, handed to the core by whoever runs it, so that tests never sleep and runs can be replayed.
 */
export interface Clock {
  /** Milliseconds since 1970-01-01 UTC. */
  now(): number;
  /** Resolves after `ms` milliseconds; rejects with the signal's reason when it is aborted first. */
  sleep(ms: number, signal?: CancelSignal): Promise<void>;
  /** A number drawn evenly from [0, 1). */
  random(): number;
}

/** The part of `AbortSignal` that the core needs; every `AbortSignal` fits. */
export interface CancelSignal {
  readonly aborted: boolean;
  readonly reason?: unknown;
  /** As of an `AbortSignal`. */
  addEventListener(type: "abort", listener: () => void, options?: { once?: boolean }): void;
  /** As of an `AbortSignal`. */
  removeEventListener(type: "abort", listener: () => void): void;
}
