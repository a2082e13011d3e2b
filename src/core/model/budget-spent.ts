import type { Micros } from "../ground/index.js";

/** What leaves no room: the run's own cap, the month's, or a cap that is too small for a single request of this kind. */
export type CapWhy = "run" | "month" | "request";

/** Thrown instead of a request that could pass the cap. */
export class BudgetSpent extends Error {
  override readonly name = "BudgetSpent";

  constructor(
    readonly why: CapWhy,
    /** The dearest that the request could have cost, and the cap; of the month's cap, what is left. */
    readonly needs: Micros,
    readonly cap: Micros,
  ) {
    super(
      why === "request"
        ? "one request may cost more than the cap"
        : `the ${why === "month" ? "month's" : "spend"} cap leaves no room for another request`,
    );
  }
}
