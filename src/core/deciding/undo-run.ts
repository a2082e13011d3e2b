import { YoroshiError } from "../ground/index.js";
import { absorbEdits, restandingCells, writeTable, type FillSetup, type Work } from "../cells/index.js";
import { forgetSettled } from "../fill/index.js";
import { claim, type CellRecord } from "../ledger/index.js";
import { decidingWork } from "./decide-row.js";

/** What became of a run that is taken back. */
export interface RunUndone {
  readonly run: string;
  /** Rows that stand as before it, by step. */
  readonly rows: Readonly<Record<string, number>>;
  /** Rows that something has changed since: they stay as they are. */
  readonly movedOn: number;
  readonly keys: readonly string[];
  readonly written: boolean;
}

const KEYS_SHOWN = 5;

/**
 * Puts back what stood before a fill, and writes the table. What a person, or another run, has changed since stays. The answers are still
 * known: the next fill gives them again, without asking, unless the template, the rows or the choice of them is another.
 *
 * @param run the id of one of the plan's last ten fills that changed something; `last` for the newest.
 * @throws YoroshiError `notFound`, `planBusy`.
 */
export async function undoRun(setup: FillSetup, run: string): Promise<RunUndone> {
  // One that recorded nothing has nothing to be put back; the ledger does not count it either.
  const fills = (await setup.ledger.runs.find("fill", setup.plan.name, 1_000)).filter(({ cells }) => cells !== 0).slice(0, 10);
  const found = run === "last" ? fills[0] : fills.find(({ id }) => id === run);
  if (!found)
    throw new YoroshiError("notFound", { what: `run of the plan ${setup.plan.name}`, name: run, known: fills.map(({ id }) => id) });
  const letGo = await claim(setup.ledger, setup.clock, `fill:${setup.plan.name}`);
  if (!letGo) throw new YoroshiError("planBusy", { plan: setup.plan.name });
  try {
    const work = await decidingWork(setup);
    const { mark } = await absorbEdits(work, "status");
    await forgetSettled(work);
    const name = `undo-${found.id}`;
    const { rows, movedOn, keys } = await putBack(work, found.id, name);
    const isChanged = Object.values(rows).some((count) => count > 0);
    const { written } = isChanged ? await writeTable({ ...work, standingMark: mark }, name, true) : { written: false };
    return { run: found.id, rows, movedOn, keys, written };
  } finally {
    await letGo();
  }
}

async function putBack(work: Work, run: string, name: string): Promise<Pick<RunUndone, "rows" | "movedOn" | "keys">> {
  const rows: Record<string, number> = {};
  const keys: string[] = [];
  let movedOn = 0;
  for await (const changed of work.ledger.cells.changedBy(run, work.plan.name)) {
    const cells: CellRecord[] = [];
    for (const { now, before } of changed) {
      const one = work.steps.find((step) => step.name === now.step);
      // A person's later word is one that came since.
      if (now.run !== run || !one) {
        movedOn++;
        if (keys.length < KEYS_SHOWN) keys.push(now.key);
        continue;
      }
      const { plan, step, key, edited, editedOn } = now;
      const stood: CellRecord = before ?? { plan, step, key, state: "blank", values: {}, run, at: now.at };
      cells.push(restandingCells(work, one, { ...now, edited: undefined }, { ...stood, edited, editedOn }, name));
      rows[step] = (rows[step] ?? 0) + 1;
    }
    if (cells.length > 0) await work.ledger.record({ cells });
  }
  return { rows, movedOn, keys };
}
