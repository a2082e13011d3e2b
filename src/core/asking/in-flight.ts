/** Counts what is under way, for those who wait for the next to be done, or for all. */
export class InFlight {
  #count = 0;
  #watching: (() => void)[] = [];

  /** @param onIdle told when nothing is under way any more. */
  constructor(readonly onIdle?: () => void) {}

  get count(): number {
    return this.#count;
  }

  begin(): void {
    this.#count++;
  }

  end(): void {
    this.#count--;
    const told = this.#watching;
    this.#watching = [];
    for (const tell of told) tell();
    if (this.#count === 0) this.onIdle?.();
  }

  /** Resolves when the next is done; at once when nothing is under way. */
  async next(): Promise<void> {
    if (this.#count > 0) await new Promise<void>((resolve) => this.#watching.push(resolve));
  }

  /** Resolves when nothing is under way. */
  async idle(): Promise<void> {
    while (this.#count > 0) await this.next();
  }
}
