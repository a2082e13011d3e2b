import type { FillEvents } from "../cells/index.js";

/** Tells the caller's functions what goes on. The first error of one of them is kept, and none is called any more. */
export class Listeners {
  readonly #pending = new Set<Promise<void>>();
  #isBroken = false;

  /** @param onError told the first error, once. */
  constructor(
    readonly on: FillEvents,
    readonly onError: (error: unknown) => void,
  ) {}

  tell<Name extends keyof FillEvents>(name: Name, ...about: Parameters<NonNullable<FillEvents[Name]>>): void {
    const listener = this.on[name] as ((...about: unknown[]) => unknown) | undefined;
    if (!listener || this.#isBroken) return;
    try {
      const made = listener(...about);
      if (made instanceof Promise) this.#wait(made);
    } catch (error) {
      this.#break(error);
    }
  }

  #wait(made: Promise<unknown>): void {
    const waiting: Promise<void> = made
      .then(
        () => undefined,
        (error: unknown) => this.#break(error),
      )
      .finally(() => this.#pending.delete(waiting));
    this.#pending.add(waiting);
  }

  #break(error: unknown): void {
    if (this.#isBroken) return;
    this.#isBroken = true;
    this.onError(error);
  }

  /** Resolves when all that listeners began is done. */
  async ready(): Promise<void> {
    if (this.#pending.size > 0) await Promise.all(this.#pending);
  }
}
