import { canonicalJson, type Json } from "../ground/index.js";
import type { CellRecord } from "../ledger/index.js";
import type { TargetColumn } from "../table/index.js";
import { plainTargets, type Work } from "./setup.js";

/** A step that fills columns of a table. */
export interface Writer {
  readonly plan: string;
  readonly step: string;
  readonly columns: readonly TargetColumn[];
}

/** What Yoroshi last wrote to a target: the marks of source and result, and every step whose columns it holds. */
export interface Written {
  readonly source: string | null;
  readonly standing: string | null;
  /** When it was written, milliseconds since 1970. */
  readonly at?: number | undefined;
  readonly showsStates?: boolean | undefined;
  readonly writers: readonly Writer[];
}

const NOTHING: Written = { source: null, standing: null, writers: [] };

const noteName = (work: Pick<Work, "table">): string => `written:${work.table.target}`;

/** The time of a new record: after the table was last written, whatever the clock's steps are. */
export const recordTime = (now: number, writtenAt: number | undefined): number => Math.max(now, (writtenAt ?? 0) + 1);

/** Whether a record's values have been written to the table. */
const isWritten = (record: CellRecord, writtenAt: number | undefined): boolean => record.at <= (writtenAt ?? 0);

/** What the table still holds of a record that has not been written to it; `undefined` once it has. */
export function unwritten(record: CellRecord | undefined, writtenAt: number | undefined): CellRecord["was"] {
  return record && !isWritten(record, writtenAt) ? record.was : undefined;
}

/** What the table holds for a row whose record is about to change; left out where that is nothing. */
export function stillStanding(record: CellRecord | undefined, writtenAt: number | undefined): CellRecord["was"] {
  if (!record) return undefined;
  if (!isWritten(record, writtenAt)) return record.was;
  return Object.keys(record.values).length > 0 ? record.values : undefined;
}

export async function readWritten(work: Pick<Work, "ledger" | "table">): Promise<Written> {
  return ((await work.ledger.note(noteName(work))) as Written | undefined) ?? NOTHING;
}

export async function keepWritten(work: Work, written: Written): Promise<void> {
  await work.ledger.setNote(noteName(work), written as unknown as Json);
}

export const sameWritten = (a: Written, b: Written): boolean => canonicalJson({ ...a, at: 0 }) === canonicalJson({ ...b, at: 0 });

/**
 * Every step whose columns the target holds, those of this plan included. Several plans may fill one table; each keeps what
 * the others wrote. A column that two plans name belongs to the one at work.
 */
export function writersOf(work: Work, written: Written): Writer[] {
  const own = work.steps.map((one): Writer => ({ plan: work.plan.name, step: one.name, columns: plainTargets(one.targets) }));
  const mine = new Set(own.flatMap((writer) => writer.columns.map((column) => column.name)));
  const ownOf = (writer: Writer): Writer | undefined => own.find((one) => one.plan === writer.plan && one.step === writer.step);
  // A step that the plan no longer has lets go of its columns; they stay as they stand.
  const before = written.writers.filter((writer) => writer.plan !== work.plan.name || ownOf(writer));
  const all = before
    .map((writer) => ownOf(writer) ?? { ...writer, columns: writer.columns.filter((column) => !mine.has(column.name)) })
    .filter((writer) => writer.columns.length > 0);
  return [...all, ...own.filter((writer) => !all.includes(writer))];
}
