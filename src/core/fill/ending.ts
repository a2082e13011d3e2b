import type { CancelSignal } from "../ground/index.js";
import { BudgetSpent, ModelFailure, type Model } from "../model/index.js";
import type { Capped, FillEnd } from "./tally.js";

/** How a run ends, and why before its time. */
export class Ending {
  end: FillEnd = "done";
  /** The model's failure that ended it, and that model's host. */
  error: ModelFailure | undefined;
  errorHost: string | undefined;
  capped: Capped | undefined;
  /** An error that is not the model's: the ledger's, or a mistake in this code. */
  broken: { readonly error: unknown } | undefined;

  /** @param stop aborted when the user wants an end. */
  constructor(readonly stop: CancelSignal | undefined) {}

  get isInterrupted(): boolean {
    if (this.stop?.aborted) this.end = "interrupted";
    return this.stop?.aborted === true;
  }

  /** Whether no further rows are begun. */
  get isStopped(): boolean {
    return this.end === "interrupted" || this.end === "failed" || this.isInterrupted;
  }

  /** Whether nothing more is asked. */
  get isOver(): boolean {
    return this.isStopped || this.end === "spendCap";
  }

  reachRowLimit(): void {
    if (this.end === "done") this.end = "rowLimit";
  }

  fail(error: unknown, model: Model): void {
    if (error instanceof BudgetSpent) {
      if (this.end === "done" || this.end === "rowLimit") this.end = "spendCap";
      this.capped ??= { why: error.why, needs: error.needs, cap: error.cap };
    } else if (error instanceof ModelFailure && error.kind === "cancelled") {
      this.end = "interrupted";
    } else if (error instanceof ModelFailure) {
      this.end = "failed";
      this.error ??= error;
      this.errorHost ??= model.host;
    } else {
      this.break(error);
    }
  }

  /** An error that is nobody's but the caller's or this code's: the run ends, and it is thrown. */
  break(error: unknown): void {
    this.end = "failed";
    this.broken ??= { error };
  }
}
