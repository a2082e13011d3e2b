import type { StepWork } from "../cells/index.js";

/** Gathers what waits for others of its step to share a request with. */
export class Company<T> {
  readonly #waiting = new Map<StepWork, T[]>();

  get waits(): boolean {
    return this.#waiting.size > 0;
  }

  /** Waits with the others; gives all of them once they are as many as a request takes. */
  join(one: StepWork, item: T): readonly T[] | undefined {
    const all = this.#waiting.get(one) ?? [];
    all.push(item);
    if (all.length < one.rowsPerRequest) this.#waiting.set(one, all);
    else this.#waiting.delete(one);
    return all.length < one.rowsPerRequest ? undefined : all;
  }

  /** Those that wait, step by step; none waits any more. */
  leave(): readonly (readonly T[])[] {
    const all = [...this.#waiting.values()];
    this.#waiting.clear();
    return all;
  }
}
