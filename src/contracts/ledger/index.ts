import type { Ledger } from "../../core/index.js";
import type { ContractCase } from "../check.js";
import { ANSWERS } from "./answers.js";
import { CELLS } from "./cells.js";
import { DECISIONS } from "./decisions.js";
import { CHARGES } from "./charges.js";
import { RUNS } from "./runs.js";
import { FACTS } from "./facts.js";

const CASES = { ...ANSWERS, ...CELLS, ...DECISIONS, ...CHARGES, ...RUNS, ...FACTS };

/**
 * What every ledger must do, as cases for any test runner. Each case opens a ledger of its own and closes it.
 *
 * @param open gives a new, empty ledger.
 * @example
 * ```ts
 * import { memoryLedger } from "yoroshi";
 * import { ledgerContract } from "yoroshi/contracts";
 *
 * for (const { name, run } of ledgerContract(() => memoryLedger())) {
 *   await run().catch((error) => console.error(name, error));
 * }
 * ```
 */
export function ledgerContract(open: () => Ledger | Promise<Ledger>): ContractCase[] {
  return Object.entries(CASES).map(([name, check]) => ({
    name,
    run: async () => {
      const ledger = await open();
      try {
        await check(ledger);
      } finally {
        await ledger.close();
      }
    },
  }));
}
