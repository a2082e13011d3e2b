/** Work that goes on beside what comes next: at most so many at once. After a failure nothing new is begun. */
export class InFlight {
  readonly #running = new Set<Promise<void>>();
  readonly #failures: unknown[] = [];

  constructor(readonly most: number) {}

  /** Begins once there is room. Throws what an earlier work failed with, when all that runs has ended. */
  async begin(work: () => Promise<void>): Promise<void> {
    while (this.#running.size >= this.most) await Promise.race(this.#running);
    if (this.#failures.length > 0) return this.end();
    const running = work()
      .catch((error: unknown) => void this.#failures.push(error))
      .finally(() => this.#running.delete(running));
    this.#running.add(running);
  }

  /** Waits for all that runs. Throws the first failure. */
  async end(): Promise<void> {
    await this.settle();
    if (this.#failures.length > 0) throw this.#failures[0];
  }

  /** Waits for all that runs, however it ends. */
  async settle(): Promise<void> {
    await Promise.all(this.#running);
  }
}
