/** Questions with one fingerprint that wait for the first of them; more than this, and reading waits. */
const MOST_FOLLOWERS = 1_000;

/** Questions that wait for the answer of another one with the same fingerprint. */
export class Followers<T> {
  readonly #of = new Map<string, T[]>();
  #count = 0;

  /** Whether the answer of this fingerprint is being asked for; then `one` waits for it. */
  join(fingerprint: string, one: T): boolean {
    const waiting = this.#of.get(fingerprint);
    if (!waiting) return false;
    waiting.push(one);
    this.#count++;
    return true;
  }

  has(fingerprint: string): boolean {
    return this.#of.has(fingerprint);
  }

  /** From now on others with this fingerprint wait. */
  lead(fingerprint: string): void {
    this.#of.set(fingerprint, []);
  }

  get tooMany(): boolean {
    return this.#count > MOST_FOLLOWERS;
  }

  /** Those that waited; nobody waits for this fingerprint any more. */
  take(fingerprint: string): readonly T[] {
    const waiting = this.#of.get(fingerprint) ?? [];
    this.#of.delete(fingerprint);
    this.#count -= waiting.length;
    return waiting;
  }
}
