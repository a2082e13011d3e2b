/** Gathers what waits for others of its kind to share a request with. */
export class Company<Kind, T> {
  readonly #waiting = new Map<Kind, T[]>();

  get waits(): boolean {
    return this.#waiting.size > 0;
  }

  /** Waits with the others; gives all of them once they are as many as a request takes. */
  join(kind: Kind, most: number, item: T): readonly T[] | undefined {
    const all = this.#waiting.get(kind) ?? [];
    all.push(item);
    if (all.length < most) this.#waiting.set(kind, all);
    else this.#waiting.delete(kind);
    return all.length < most ? undefined : all;
  }

  /** Those that wait, kind by kind; none waits any more. */
  leave(): readonly (readonly T[])[] {
    const all = [...this.#waiting.values()];
    this.#waiting.clear();
    return all;
  }
}
