import { isYoroshiError } from "../core/ground/index.js";
import { runJob, writeReview, type Project } from "../jobs/index.js";
import type { RouteName } from "../api/index.js";

/** Routes after which a plan's table no longer stands as the ledger says. */
const CHANGES = new Set<RouteName>(["changeCell", "restoreCell", "decide", "undoDecision", "judgeChecked", "letStand"]);
const QUIET_MS = 2_000;

/**
 * Writes a plan's table some moments after the last change of its cells, so that the result file follows what people do, without being
 * written for each of it. While the plan is being filled, the fill writes it.
 */
export class AfterChanges {
  readonly #waiting = new Map<string, NodeJS.Timeout>();
  #writing: Promise<unknown> = Promise.resolve();

  constructor(
    readonly project: () => Project,
    readonly onProblem: (plan: string, error: unknown) => void,
    readonly quietMs = QUIET_MS,
  ) {}

  hear(route: RouteName, plan: string | undefined): void {
    if (plan === undefined || !CHANGES.has(route)) return;
    clearTimeout(this.#waiting.get(plan));
    this.#waiting.set(
      plan,
      setTimeout(() => void this.#write(plan), this.quietMs),
    );
  }

  /** A fill is about to begin, which writes the table itself: what waits need not, and what is being written is waited for. */
  async giveWay(plan: string): Promise<void> {
    clearTimeout(this.#waiting.get(plan));
    this.#waiting.delete(plan);
    await this.#writing;
  }

  /** Writes what waits, at once. */
  async close(): Promise<void> {
    for (const [plan, timer] of this.#waiting) {
      clearTimeout(timer);
      void this.#write(plan);
    }
    await this.#writing;
  }

  #write(plan: string): Promise<unknown> {
    this.#waiting.delete(plan);
    this.#writing = this.#writing
      .then(() => runJob(writeReview, this.project(), { plan }))
      .catch((error: unknown) => {
        if (!(isYoroshiError(error) && error.code === "planBusy")) this.onProblem(plan, error);
      });
    return this.#writing;
  }
}
