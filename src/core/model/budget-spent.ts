import type { Micros } from "../ground/index.js";

/** What leaves no room: the run's own cap, the month's, or a cap that is too small for a single request of this kind. */
export type CapWhy = "run" | "month" | "request";

/**
 * Thrown instead of a request that could pass the cap.
 *
 * @example
 * ```ts
 * import { BudgetSpent, formatMoney, readSamples, trial } from "yoroshi";
 * import { standin } from "yoroshi/standin";
 *
 * // `prepared` and `setup` as in the example of `fill`; the cap is a millionth of the currency's unit.
 * const rows = [{ place: "row 1", values: { note: "An angry complaint.", tone: "upset" } }];
 * const samples = readSamples(prepared, "samples/tone.csv", ["note", "tone"], rows);
 * const { ledger, clock } = setup;
 * const model = standin({ price: { input: 1, output: 5 } });
 * try {
 *   await trial({ prepared, version: 1, model, samples, ledger, clock }, { spendCap: 1 });
 * } catch (error) {
 *   if (!(error instanceof BudgetSpent)) throw error;
 *   console.log(error.why, formatMoney(error.needs, "USD"));
 * }
 * ```
 */
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
