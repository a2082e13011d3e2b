import {
  absorbEdits,
  openHolds,
  restandingCells,
  settleHeld,
  writeTable,
  type FillSetup,
  type TableWritten,
  type Work,
} from "../cells/index.js";
import { claim, type CellRecord } from "../ledger/index.js";
import { readReleases } from "../review/index.js";
import { YoroshiError } from "../ground/index.js";
import { decidingWork } from "./decide-row.js";
import { stepsOf } from "./waiting.js";

const RUN = "review";
const SOME = 200;

/**
 * Writes what was decided, and what a check has released, into the table. Asks nothing.
 *
 * @throws YoroshiError `planBusy` while the plan is being filled, which writes it, too.
 */
export async function writeDecided(setup: FillSetup): Promise<TableWritten & { readonly released: number }> {
  const letGo = await claim(setup.ledger, setup.clock, `fill:${setup.plan.name}`);
  if (!letGo) throw new YoroshiError("planBusy", { plan: setup.plan.name });
  try {
    const work = await decidingWork(setup);
    const { mark } = await absorbEdits(work, RUN);
    const released = await settleReleased(work);
    return { ...(await writeTable({ ...work, standingMark: mark }, RUN, true)), released };
  } finally {
    await letGo();
  }
}

/** Held values that nothing holds any more become what stands. */
async function settleReleased(work: Work): Promise<number> {
  let released = 0;
  const releases = await readReleases(work.ledger, work.plan.name);
  // Those that wait for a person, too: some of their columns may wait for the check alone.
  for (const [name, like] of stepsOf(work).flatMap((step) => [[step, undefined] as const, [step, ""] as const])) {
    const one = work.steps.find((step) => step.name === name)!;
    let after: string | undefined;
    for (;;) {
      const records = await work.ledger.cells.held(work.plan.name, name, { after, like, limit: SOME });
      const cells: CellRecord[] = [];
      for (const record of records) {
        const held = record.held!;
        const by = openHolds(work.plan, one, held, releases);
        const left = new Set(Object.values(by).flat());
        const free = Object.keys(held.values).filter((column) => !left.has(column));
        if (free.length === 0) continue;
        const verdicts = free.map((column) => ({ column, how: "accept" as const }));
        cells.push(restandingCells(work, one, record, settleHeld(record, { ...held, by }, verdicts, undefined), RUN));
      }
      if (cells.length > 0) await work.ledger.record({ cells });
      released += cells.length;
      if (records.length < SOME) break;
      after = records.at(-1)!.key;
    }
  }
  return released;
}
