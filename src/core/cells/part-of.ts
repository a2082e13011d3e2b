import type { FillSetup } from "./setup.js";
import { workOf } from "./setup.js";
import { readWritten } from "./writers.js";

/** With more rows than this, all are read. */
const MOST_NAMED = 20_000;

/**
 * The same plan over the named rows of its table alone, where the table can find rows by their keys and has been written before, so that
 * what the ledger has not yet written to other rows stays known as such.
 */
export async function partOf<Setup extends FillSetup>(setup: Setup, only: readonly string[] | undefined): Promise<Setup> {
  if (!only || only.length === 0 || only.length > MOST_NAMED || !setup.table.rowsOnly) return setup;
  const { at, writers } = await readWritten(setup);
  const isKnown = workOf(setup).steps.every(({ name }) => writers.some((one) => one.plan === setup.plan.name && one.step === name));
  const table = at !== undefined && isKnown ? await setup.table.rowsOnly(only) : undefined;
  return table ? { ...setup, table } : setup;
}
