import type { CellRecord } from "../ledger/index.js";
import type { RelatedRow, Row } from "../table/index.js";
import { inputColumns } from "./check-plan.js";
import { cellsOf, decide, type Decision, type RelatedRows } from "./decide.js";
import { stepOf } from "./plan.js";
import type { FillSetup, Work } from "./setup.js";

export interface Considered {
  readonly row: Row;
  readonly record: CellRecord | undefined;
  readonly decision: Decision;
}

/** Walks over the table in chunks, with each row's record (looked up in bulk) and what is to be done about it. */
export async function* walk(work: Work): AsyncGenerator<{ readonly considered: readonly Considered[]; readonly share: number }> {
  for await (const { rows, share } of work.table.read()) {
    const named = work.only ? rows.filter((row) => work.only!.has(row.key)) : rows;
    const chosen = work.where ? named.filter((row) => work.where!.test(row.values) === true) : named;
    const records = await work.ledger.cells(work.plan.name, work.stepName, chosen.map((row) => row.key));
    const related = await relatedRows(work, chosen);
    yield {
      considered: chosen.map((row, index) => {
        const record = records.get(row.key);
        return { row, record, decision: decide(work, row, record, related[index]) };
      }),
      share,
    };
  }
}

/** What belongs to each row, looked up for all of them at once. */
async function relatedRows(work: Pick<FillSetup, "related">, rows: readonly Row[]): Promise<RelatedRows[]> {
  const all: Record<string, readonly RelatedRow[]>[] = rows.map(() => ({}));
  for (const [name, related] of Object.entries(work.related ?? {})) {
    for (const [index, found] of (await related.of(rows)).entries()) all[index]![name] = found;
  }
  return all;
}

/** What one row gives to the inputs of a plan's template. */
export async function inputCells(setup: FillSetup, row: Row): Promise<Record<string, string | undefined>> {
  const [related = {}] = await relatedRows(setup, [row]);
  return cellsOf({ from: inputColumns(stepOf(setup.plan).step, setup.prepared.template) }, row, related);
}
