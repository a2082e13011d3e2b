import { runJob, watchedPlans, watchPlans, type Project, type WatchEvent } from "../jobs/index.js";

/** A plan that cannot be watched just now is tried again after so long, or when a plan's file changes. */
const AGAIN_MS = 30_000;

interface Watched {
  readonly stop: AbortController;
  readonly drop: AbortController;
  readonly ended: Promise<void>;
}

/** Watches the plans of a served project that say so, for as long as it is served; what a plan says may change meanwhile. */
export class Watching {
  readonly #plans = new Map<string, Watched>();
  #looking: Promise<void> = Promise.resolve();
  #timer: NodeJS.Timeout | undefined;
  #closed = false;

  constructor(
    readonly project: () => Project,
    readonly hear: (event: WatchEvent) => void,
    readonly note: (plan: string, problem: string) => void,
  ) {}

  /** Looks which plans are to be watched now. */
  look(): Promise<void> {
    return (this.#looking = this.#looking.then(() => this.#look()).catch(() => undefined));
  }

  /** The project was opened anew: what is under way is finished in the old one. */
  async renew(): Promise<void> {
    for (const { stop } of this.#plans.values()) stop.abort();
    this.#plans.clear();
    await this.look();
  }

  async #look(): Promise<void> {
    if (this.#closed || !this.project().isBegun) return;
    const wanted = await watchedPlans(this.project());
    for (const [plan, { stop }] of this.#plans) {
      if (wanted.includes(plan)) continue;
      stop.abort();
      this.#plans.delete(plan);
    }
    for (const plan of wanted) if (!this.#plans.has(plan)) this.#plans.set(plan, this.#watch(plan));
  }

  #watch(plan: string): Watched {
    const [stop, drop] = [new AbortController(), new AbortController()];
    const mine = { stop, drop, ended: Promise.resolve() };
    const context = { stop: stop.signal, signal: drop.signal, on: this.hear };
    mine.ended = runJob(watchPlans, this.project(), { plans: [plan] }, context).then(
      () => undefined,
      (error: unknown) => {
        this.note(plan, (error as Error).message);
        if (this.#plans.get(plan) === mine) this.#plans.delete(plan);
        clearTimeout(this.#timer);
        if (!this.#closed) this.#timer = setTimeout(() => void this.look(), AGAIN_MS).unref();
      },
    );
    return mine;
  }

  /** Finishes what is in flight, drops what is not finished in time. */
  async close(graceMs: number): Promise<void> {
    this.#closed = true;
    clearTimeout(this.#timer);
    await this.#looking;
    const all = [...this.#plans.values()];
    for (const { stop } of all) stop.abort();
    const timer = setTimeout(() => all.forEach(({ drop }) => drop.abort()), graceMs);
    await Promise.all(all.map(({ ended }) => ended));
    clearTimeout(timer);
  }
}
