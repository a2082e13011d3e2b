import type { AtOnce, Clock } from "../ground/index.js";
import { holderName, type Ledger } from "../ledger/index.js";

/** As long as the process is seen that has it. */
const FOR_EVER = Number.MAX_SAFE_INTEGER;

/**
 * Places for requests at once that several processes share: each is a lease in the ledger, so that no two have the same one, whatever
 * becomes of them. Each takes its part, and gives back what it has too much of once it is not in use.
 */
export class SharedPlaces {
  readonly #holder: string;
  readonly #held = new Set<string>();

  /**
   * @param places of this process; they follow what is held.
   * @param what names the limit that is shared.
   * @param limit of all together.
   */
  constructor(
    readonly leases: Ledger["leases"],
    readonly clock: Clock,
    readonly places: AtOnce,
    readonly what: string,
    readonly limit: number,
  ) {
    this.#holder = holderName(clock);
    places.resize(0);
  }

  /** Sees to this process's part, of so many who share, and no more than `most`. What a process that was not seen has lost is another's. */
  async share(among: number, most = Infinity): Promise<void> {
    const part = Math.min(most, Math.max(1, Math.ceil(this.limit / Math.max(1, among))));
    if (this.#held.size > 0) await this.#take([...this.#held]);
    // Nothing begins in a place that is about to be given back.
    this.places.resize(Math.min(part, this.#held.size));
    const tooMany = [...this.#held].slice(Math.max(part, this.places.running));
    if (tooMany.length > 0) await this.#giveBack(tooMany);
    const free = this.#others();
    while (this.#held.size < part && free.length > 0) await this.#take(free.splice(0, part - this.#held.size));
    this.places.resize(Math.min(part, this.#held.size));
  }

  /** Gives all back; the places are this process's alone again, `most` of them. */
  async end(most: number): Promise<void> {
    await this.#giveBack([...this.#held]);
    this.places.resize(most);
  }

  /** Those that are not ours, in an order that not everybody goes by. */
  #others(): string[] {
    const from = Math.floor(this.clock.random() * this.limit);
    const all = Array.from({ length: this.limit }, (_, n) => `place:${this.what}:${(from + n) % this.limit}`);
    return all.filter((name) => !this.#held.has(name));
  }

  async #take(names: readonly string[]): Promise<void> {
    const taken = await this.leases.take(names, { holder: this.#holder, until: FOR_EVER, now: this.clock.now() });
    for (const [index, name] of names.entries())
      if (taken[index]) this.#held.add(name);
      else this.#held.delete(name);
  }

  async #giveBack(names: readonly string[]): Promise<void> {
    for (const name of names) this.#held.delete(name);
    await this.leases.release(this.#holder, names);
  }
}
