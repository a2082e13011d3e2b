import type { CellRecord } from "../ledger/index.js";
import type { StandingRow, TargetColumn } from "../table/index.js";
import type { Work } from "./setup.js";
import { readWritten, recordTime, unwritten, writersOf, type Writer } from "./writers.js";

/**
 * Compares the table's columns with what Yoroshi last wrote there, and keeps every difference as a person's edit.
 * A cell that was cleared counts as blank, not as edited. Skipped when nobody has touched the table since.
 *
 * @returns how many cells are new edits, and the mark of the table as it was read.
 */
export async function absorbEdits(work: Work, run: string): Promise<{ edits: number; mark: string | undefined }> {
  const written = await readWritten(work);
  const mark = await work.table.standingMark();
  if (mark !== undefined && mark === written.standing && work.steps.every((one) => written.writers.some((writer) => writer.plan === work.plan.name && writer.step === one.name))) return { edits: 0, mark };
  const writers = writersOf(work, written);
  let edits = 0;
  for await (const rows of work.table.standing(writers.flatMap((writer) => writer.columns.map((column) => column.name)))) {
    for (const writer of writers) edits += await absorbRows(work, writer, rows, run, written.at);
  }
  return { edits, mark };
}

/** Keeps as edits what rows hold that a writer did not put there. */
export async function absorbRows(work: Work, writer: Writer, rows: readonly StandingRow[], run: string, writtenAt: number | undefined): Promise<number> {
  const records = await work.ledger.cells(writer.plan, writer.step, rows.map((row) => row.key));
  const changed: CellRecord[] = [];
  let edits = 0;
  for (const { key, values } of rows) {
    const record = records.get(key);
    const edited: Record<string, string> = {};
    for (const column of writer.columns) {
      const now = values[column.name] ?? "";
      if (now === "" || isOurs(work, column, now, record?.values) || isOurs(work, column, now, unwritten(record, writtenAt))) continue;
      edited[column.name] = now;
      if (record?.edited?.[column.name] !== now) edits++;
    }
    if (!sameEdits(record?.edited ?? {}, edited)) changed.push(withEdits(writer, record, key, edited, run, recordTime(work.clock.now(), writtenAt), writtenAt));
  }
  if (changed.length > 0) await work.ledger.record({ cells: changed });
  return edits;
}

function isOurs(work: Work, column: TargetColumn, now: string, values: CellRecord["was"]): boolean {
  const wrote = values?.[column.name];
  return wrote !== undefined && work.table.asWritten(column, wrote) === now;
}

function sameEdits(a: Readonly<Record<string, string>>, b: Readonly<Record<string, string>>): boolean {
  const keys = Object.keys(a);
  return keys.length === Object.keys(b).length && keys.every((key) => a[key] === b[key]);
}

function withEdits(writer: Writer, record: CellRecord | undefined, key: string, edited: Record<string, string>, run: string, at: number, writtenAt: number | undefined): CellRecord {
  const base = record ?? { plan: writer.plan, step: writer.step, key, state: "blank" as const, values: {} };
  return { ...base, was: unwritten(record, writtenAt), edited: Object.keys(edited).length > 0 ? edited : undefined, run, at };
}
