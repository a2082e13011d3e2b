/** Requests that somebody may still send: a bucket that fills again. */
interface Bucket {
  left: number;
  at: number;
}

const MOST_BUCKETS = 5_000;

/** How often each of many may do something: `perMinute` in the long run, a share of that at once. */
export class Rates {
  readonly #buckets = new Map<string, Bucket>();

  constructor(
    readonly perMinute: number,
    readonly burst: number,
    readonly now: () => number,
  ) {}

  /** Takes one; the seconds to wait where there is none. */
  take(who: string): number | undefined {
    const now = this.now();
    let bucket = this.#buckets.get(who);
    if (!bucket) {
      if (this.#buckets.size >= MOST_BUCKETS) this.#buckets.delete(this.#buckets.keys().next().value!);
      this.#buckets.set(who, (bucket = { left: this.burst, at: now }));
    }
    bucket.left = Math.min(this.burst, bucket.left + ((now - bucket.at) * this.perMinute) / 60_000);
    bucket.at = now;
    if (bucket.left < 1) return Math.max(1, Math.ceil(((1 - bucket.left) * 60) / this.perMinute));
    bucket.left--;
    return undefined;
  }
}
