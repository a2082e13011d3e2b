import type { CellRecord } from "../ledger/index.js";
import type { StandingRow, TargetColumn } from "../table/index.js";
import { AFTER_STEP } from "../plan/index.js";
import type { Work } from "./setup.js";
import {
  isWritten,
  readWritten,
  recordTime,
  standsAsLeft,
  stillStanding,
  textsMark,
  unwritten,
  writersOf,
  type Writer,
} from "./writers.js";

/** What was found in the columns where results go. */
export interface Absorbed {
  /** Cells that are new edits. */
  readonly edits: number;
  /** Rows that stand as they did after an earlier write: an old result was put back. */
  readonly earlier: number;
  /** The mark of the table as it was read. */
  readonly mark: string | undefined;
}

/**
 * Compares the table's columns with what Yoroshi last wrote there, and keeps every difference as a person's edit.
 * A cell that was cleared counts as blank, not as edited. Rows that stand as a whole as they did after an earlier write are
 * an earlier result that was put back, where most of those that have changed since stand so; one such row alone is a
 * person's. Skipped when nobody has touched the table since.
 */
export async function absorbEdits(work: Work, run: string): Promise<Absorbed> {
  const written = await readWritten(work);
  const mark = await work.table.standingMark();
  if (
    work.renews ||
    ((await standsAsLeft(work, written, mark)) &&
      work.steps.every((one) => written.writers.some((writer) => writer.plan === work.plan.name && writer.step === one.name)))
  )
    return { edits: 0, earlier: 0, mark };
  const writers = writersOf(work, written);
  const columns = writers.flatMap((writer) => writer.columns.map((column) => column.name));
  const seen = { earlier: 0, today: 0 };
  let edits = 0;
  for await (const rows of work.table.standing(columns))
    for (const writer of writers) edits += await absorbRows(work, writer, rows, run, written.at, { seen });
  const isEarlier = seen.earlier > 1 && seen.earlier > seen.today;
  if (seen.earlier === 0 || isEarlier) return { edits, earlier: isEarlier ? seen.earlier : 0, mark };
  for await (const rows of work.table.standing(columns))
    for (const writer of writers) edits += await absorbRows(work, writer, rows, run, written.at);
  return { edits, earlier: 0, mark };
}

/** What rows that have an earlier state stand as. */
interface Seen {
  earlier: number;
  today: number;
}

/**
 * Keeps as edits what rows hold that a writer did not put there.
 *
 * @param about.seen counts the rows that stand as after an earlier write, and leaves them for now.
 * @param about.isEarlier such rows are no edits.
 */
export async function absorbRows(
  work: Work,
  writer: Writer,
  rows: readonly StandingRow[],
  run: string,
  writtenAt: number | undefined,
  { seen, isEarlier = false }: { readonly seen?: Seen; readonly isEarlier?: boolean | undefined } = {},
): Promise<number> {
  const records = await work.ledger.cells.find(
    writer.plan,
    writer.step,
    rows.map((row) => row.key),
  );
  const changed: CellRecord[] = [];
  const back = backColumns(work, writer);
  let edits = 0;
  for (const { key, values } of rows) {
    const record = records.get(key);
    const edited: Record<string, string> = {};
    for (const column of writer.columns) {
      const now = values[column.name] ?? "";
      if (
        now === "" ||
        (!back.has(column.name) && isUnset(writer, column, record, writtenAt)) ||
        isOurs(work, column, now, record?.values) ||
        isOurs(work, column, now, unwritten(record, writtenAt)) ||
        isStart(work, writer, now)
      )
        continue;
      edited[column.name] = now;
    }
    if (record?.past && (seen || isEarlier)) {
      const stands = textsMark(writer.columns.map(({ name }) => values[name] ?? ""));
      if (record.past.includes(stands) && !sameEdits(record.edited ?? {}, edited)) {
        if (seen) seen.earlier++;
        continue;
      }
      if (seen) seen.today++;
    }
    for (const [column, now] of Object.entries(edited)) if (record?.edited?.[column] !== now) edits++;
    if (!sameEdits(record?.edited ?? {}, edited))
      changed.push(withEdits(writer, record, key, edited, run, recordTime(work.clock.now(), writtenAt), writtenAt));
  }
  if (changed.length > 0) await work.ledger.record({ cells: changed });
  return edits;
}

function isOurs(work: Work, column: TargetColumn, now: string, values: CellRecord["was"]): boolean {
  const wrote = values?.[column.name];
  return wrote !== undefined && work.table.asWritten(column, wrote) === now;
}

/** Columns that people may change here and in an appended row: what stands in them is a person's from the first. */
const backColumns = ({ plan }: Work, writer: Writer): ReadonlySet<string> =>
  new Set(
    writer.plan === plan.name && writer.step === AFTER_STEP ? plan.afterwards?.rules.flatMap(({ append }) => append?.back ?? []) : [],
  );

/** What stands in a column until a rule first sets it is nobody's change. */
function isUnset({ step }: Writer, { name }: TargetColumn, record: CellRecord | undefined, writtenAt: number | undefined): boolean {
  if (step !== AFTER_STEP || record?.edited?.[name] !== undefined) return false;
  return record?.values[name] === undefined || (!isWritten(record, writtenAt) && record.was?.[name] === undefined);
}

/** A value that the step says it takes over. */
const isStart = ({ plan }: Work, writer: Writer, now: string): boolean =>
  writer.plan === plan.name && plan.steps[writer.step]?.takes?.includes(now) === true;

function sameEdits(a: Readonly<Record<string, string>>, b: Readonly<Record<string, string>>): boolean {
  const keys = Object.keys(a);
  return keys.length === Object.keys(b).length && keys.every((key) => a[key] === b[key]);
}

/** Other edits are made on the row as it is now; what it holds is looked at when it is next read. */
function withEdits(
  writer: Writer,
  record: CellRecord | undefined,
  key: string,
  edited: Record<string, string>,
  run: string,
  at: number,
  writtenAt: number | undefined,
): CellRecord {
  const base = record ?? { plan: writer.plan, step: writer.step, key, state: "blank" as const, values: {} };
  return {
    ...base,
    was: stillStanding(record, writtenAt),
    edited: Object.keys(edited).length > 0 ? edited : undefined,
    editedOn: undefined,
    // Who filled the cells stays known: a person's change is no run.
    run: record?.run ?? run,
    at,
  };
}
