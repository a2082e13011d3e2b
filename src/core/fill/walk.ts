import type { CellRecord } from "../ledger/index.js";
import type { Row } from "../table/index.js";
import { decide, type Decision } from "./decide.js";
import type { Work } from "./setup.js";

export interface Considered {
  readonly row: Row;
  readonly record: CellRecord | undefined;
  readonly decision: Decision;
}

/** Walks over the table in chunks, with each row's record (looked up in bulk) and what is to be done about it. */
export async function* walk(work: Work): AsyncGenerator<{ readonly considered: readonly Considered[]; readonly share: number }> {
  for await (const { rows, share } of work.table.read()) {
    const chosen = work.only ? rows.filter((row) => work.only!.has(row.key)) : rows;
    const records = await work.ledger.cells(work.plan.name, work.stepName, chosen.map((row) => row.key));
    yield {
      considered: chosen.map((row) => {
        const record = records.get(row.key);
        return { row, record, decision: decide(work, row, record) };
      }),
      share,
    };
  }
}
