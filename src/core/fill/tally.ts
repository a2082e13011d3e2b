import * as z from "zod/mini";
import type { Micros } from "../ground/index.js";
import type { CellState } from "../ledger/index.js";
import type { BudgetSpent, Usage } from "../model/index.js";

/** How a fill ended: all done, or what stopped it. */
export type FillEnd = "done" | "rowLimit" | "spendCap" | "interrupted" | "failed";

/** Which cap ended a run: what the next request could have cost, and the cap. */
export type Capped = Pick<BudgetSpent, "why" | "needs" | "cap">;

/** The figures of a run, or of one of its steps. A row is counted once for each step, by the state in which its cells ended. */
export interface Tally {
  rows: number;
  /** Rows for which a model was asked in this run. */
  asked: number;
  /** Rows whose answer was known: unchanged, asked in an earlier run, or the same as another row. */
  reused: number;
  /** Rows that a rule settled, so that no model was asked. */
  ruled: number;
  filled: number;
  skipped: number;
  held: number;
  failed: number;
  edited: number;
  stale: number;
  /** Rows that a limit left without an answer. */
  blank: number;
  tokensIn: number;
  tokensOut: number;
  spent: Micros;
}

const figure = z.number();

/** The schema of a tally. */
export const TALLY: z.ZodMiniType<Tally> = z.object({
  rows: figure,
  asked: figure,
  reused: figure,
  ruled: z._default(figure, 0),
  filled: figure,
  skipped: figure,
  held: figure,
  failed: figure,
  edited: figure,
  stale: figure,
  blank: figure,
  tokensIn: figure,
  tokensOut: figure,
  spent: figure,
});

export function newTally(): Tally {
  return {
    rows: 0,
    asked: 0,
    reused: 0,
    ruled: 0,
    filled: 0,
    skipped: 0,
    held: 0,
    failed: 0,
    edited: 0,
    stale: 0,
    blank: 0,
    tokensIn: 0,
    tokensOut: 0,
    spent: 0,
  };
}

export function countState(tally: Tally, state: CellState): void {
  tally.rows++;
  tally[state]++;
}

export function countUsage(tally: Tally, usage: Usage, spent: Micros): void {
  tally.tokensIn += usage.tokensIn;
  tally.tokensOut += usage.tokensOut;
  tally.spent += spent;
}

/** The steps' figures together; `rows` are those of the step with the most. */
export function sumTallies(tallies: readonly Tally[]): Tally {
  const sum = newTally();
  for (const tally of tallies) {
    for (const figure of Object.keys(sum) as (keyof Tally)[])
      sum[figure] = figure === "rows" ? Math.max(sum.rows, tally.rows) : sum[figure] + tally[figure];
  }
  return sum;
}
