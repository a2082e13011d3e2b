import { canonicalJson, type Json } from "../ground/index.js";
import type { CellRecord } from "../ledger/index.js";
import type { TargetColumn } from "../table/index.js";
import { targetColumns, type Work } from "./setup.js";

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
  readonly writers: readonly Writer[];
}

const NOTHING: Written = { source: null, standing: null, writers: [] };

const noteName = (work: Pick<Work, "table">): string => `written:${work.table.target}`;

/** What the table still holds of a record that has not been written to it; `undefined` once it has. */
export function unwritten(record: CellRecord | undefined, writtenAt: number | undefined): CellRecord["was"] {
  return record && record.at >= (writtenAt ?? 0) ? record.was : undefined;
}

/** What the table holds for a row whose record is about to change; left out where that is nothing. */
export function stillStanding(record: CellRecord | undefined, writtenAt: number | undefined): CellRecord["was"] {
  if (!record) return undefined;
  if (record.at >= (writtenAt ?? 0)) return record.was;
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
 * Every step whose columns the target holds, this one included. Several plans may fill one table; each keeps what the
 * others wrote. A column that two steps name belongs to the one at work.
 */
export function writersOf(work: Work, written: Written): Writer[] {
  const own: Writer = { plan: work.plan.name, step: work.stepName, columns: targetColumns(work) };
  const mine = new Set(own.columns.map((column) => column.name));
  const isOwn = (writer: Writer): boolean => writer.plan === own.plan && writer.step === own.step;
  const all = written.writers
    .map((writer) => (isOwn(writer) ? own : { ...writer, columns: writer.columns.filter((column) => !mine.has(column.name)) }))
    .filter((writer) => writer.columns.length > 0);
  return all.some(isOwn) ? all : [...all, own];
}
