import * as z from "zod/mini";
import { canonicalJson, keep, quickHash, readKept, YoroshiError, type StoredForm } from "../ground/index.js";
import type { CellRecord } from "../ledger/index.js";
import { CELL_TYPES, type TargetColumn } from "../table/index.js";
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
  /** The columns by which rows were told apart. */
  readonly key?: readonly string[] | undefined;
  readonly writers: readonly Writer[];
}

const WRITTEN: StoredForm<Written> = {
  format: 1,
  schema: z.object({
    source: z.nullable(z.string()),
    standing: z.nullable(z.string()),
    at: z.optional(z.number()),
    showsStates: z.optional(z.boolean()),
    key: z.optional(z.array(z.string())),
    writers: z.array(
      z.object({
        plan: z.string(),
        step: z.string(),
        columns: z.array(z.object({ name: z.string(), type: z.optional(z.enum(CELL_TYPES)), freeText: z.boolean() })),
      }),
    ),
  }),
};

const NOTHING: Written = { source: null, standing: null, writers: [] };

const noteName = ({ table: { target, part } }: Pick<Work, "table">): string => `written:${target}${part === undefined ? "" : ` (${part})`}`;

/** The time of a new record: after the table was last written, whatever the clock's steps are. */
export const recordTime = (now: number, writtenAt: number | undefined): number => Math.max(now, (writtenAt ?? 0) + 1);

/** Whether a record's values have been written to the table. */
export const isWritten = (record: CellRecord, writtenAt: number | undefined): boolean => record.at <= (writtenAt ?? 0);

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

/** A short hash of what the table shows in a step's columns of a row. */
export function rowMark(
  { table }: Pick<Work, "table">,
  columns: readonly TargetColumn[],
  { values, edited }: Pick<CellRecord, "values" | "edited">,
): string {
  return textsMark(
    columns.map(
      (column) => edited?.[column.name] ?? (values[column.name] === undefined ? "" : table.asWritten(column, values[column.name]!)),
    ),
  );
}

export const textsMark = (texts: readonly string[]): string => quickHash(canonicalJson(texts));

export async function readWritten(work: Pick<Work, "ledger" | "table">): Promise<Written> {
  const kept = await work.ledger.facts.get(noteName(work));
  if (kept === undefined) return NOTHING;
  const written = readKept(WRITTEN, kept);
  // Taken for nothing, what we wrote ourselves would count as a person's.
  if (!written)
    throw new YoroshiError("ledgerBroken", {
      file: "of this project",
      problem: `what it keeps of ${work.table.target} cannot be read`,
    });
  return written;
}

/** Whether the ledger knows of any writing to a target. */
export const hasWritten = async (work: Pick<Work, "ledger" | "table">): Promise<boolean> =>
  (await work.ledger.facts.get(noteName(work))) !== undefined;

export async function keepWritten(work: Work, written: Written): Promise<void> {
  await work.ledger.facts.set(noteName(work), keep(WRITTEN, written));
}

/** What our own writings made of a target, whatever part of it they wrote: marks before and after. */
type Trail = readonly (readonly [string | null, string | null])[];
const mark = z.nullable(z.string());
const TRAIL: StoredForm<{ readonly steps: Trail }> = { format: 1, schema: z.object({ steps: z.array(z.tuple([mark, mark])) }) };
const MOST_STEPS = 50;
const trailName = ({ table }: Pick<Work, "table">): string => `trail:${table.target}`;

/** Keeps that a writing led from one mark of the target to another. */
export async function keepTrail(work: Work, from: string | undefined, to: string | undefined): Promise<void> {
  const steps = [...(await readTrail(work)), [from ?? null, to ?? null] as const].slice(-MOST_STEPS);
  await work.ledger.facts.set(trailName(work), keep(TRAIL, { steps }));
}

async function readTrail(work: Pick<Work, "ledger" | "table">): Promise<Trail> {
  const kept = await work.ledger.facts.get(trailName(work));
  // The first versions kept the bare list.
  return readKept(TRAIL, Array.isArray(kept) ? { steps: kept } : kept)?.steps ?? [];
}

/** Whether a target stands as it was left: by this plan, and from there on by others of ours that write other parts of it. */
export async function standsAsLeft(work: Pick<Work, "ledger" | "table">, written: Written, now: string | undefined): Promise<boolean> {
  if (now === undefined) return false;
  const trail = await readTrail(work);
  if (written.standing === null) return trail.at(-1)?.[1] === now;
  const seen = new Set<string>();
  let reached: string | null | undefined = written.standing;
  while (reached && reached !== now && !seen.has(reached)) {
    seen.add(reached);
    reached = trail.findLast(([from]) => from === reached)?.[1];
  }
  return reached === now;
}

/** The same but for the target's mark and the time. */
export const sameWritten = (a: Written, b: Written): boolean =>
  canonicalJson({ ...a, at: 0, standing: null }) === canonicalJson({ ...b, at: 0, standing: null });

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
