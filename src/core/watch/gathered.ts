/** Which rows have changed: some, by their keys, or perhaps any. */
export type Changed = readonly string[] | "any";

/** With more rows than this, all are looked at. */
const MOST_KEYS = 20_000;

/** What has changed since the last round, gathered until nothing more comes, or until it has waited long enough. */
export class Gathered {
  #keys: Set<string> | undefined = new Set();
  #first: number | undefined;
  #last = 0;

  /**
   * @param quietMs a round begins when nothing has come for so long.
   * @param mostMs and at the latest so long after the first change.
   */
  constructor(
    readonly quietMs: number,
    readonly mostMs: number,
  ) {}

  add(changed: Changed, now: number): void {
    this.#first ??= now;
    this.#last = now;
    if (changed === "any") this.#keys = undefined;
    else for (const key of changed) this.#keys?.add(key);
    if ((this.#keys?.size ?? 0) > MOST_KEYS) this.#keys = undefined;
  }

  /** When the oldest change came, milliseconds since 1970; `undefined` while there is none. */
  get since(): number | undefined {
    return this.#first;
  }

  /** When a round is due; `undefined` while nothing has changed. */
  dueAt(): number | undefined {
    return this.#first === undefined ? undefined : Math.min(this.#last + this.quietMs, this.#first + this.mostMs);
  }

  /** Takes what has been gathered; what comes from now on belongs to the next round. */
  take(): Changed {
    const changed = this.#keys ? [...this.#keys] : ("any" as const);
    this.#keys = new Set();
    this.#first = undefined;
    return changed;
  }
}
