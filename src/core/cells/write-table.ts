import { canonicalJson, sentenceOf, YoroshiError } from "../ground/index.js";
import { hold, type CellRecord, type Held } from "../ledger/index.js";
import type { CellOut, Refusal, ShownState, StatesOf } from "../table/index.js";
import { absorbEdits, absorbRows } from "./edits.js";
import { columnState } from "./hold-values.js";
import type { Work } from "./setup.js";
import {
  isWritten,
  keepTrail,
  keepWritten,
  readWritten,
  recordTime,
  sameWritten,
  stillStanding,
  unwritten,
  standsAsLeft,
  writersOf,
  type Writer,
  type Written,
} from "./writers.js";

export interface TableWritten {
  /** Whether anything was written. */
  readonly written: boolean;
  /** Cells that a person changed while the fill ran, kept as they are. */
  readonly edits: number;
  /** Rows that did not take their values. */
  readonly refused: readonly Refusal[];
  /** The mark of the table as it was written; none where it was not, or has no mark. */
  readonly mark?: string | undefined;
}

export const NOT_WRITTEN: TableWritten = { written: false, edits: 0, refused: [] };

/** Rows whose records are looked up at once. */
const SOME_ROWS = 500;

/** How often it is looked whether another is done with a table. */
const LOOK_AGAIN_MS = 100;

/** The target is one writer's from reading what stands there until it is saved, over processes. */
async function claimTarget({ ledger, table, clock }: Work): Promise<Held> {
  for (;;) {
    const held = await hold(ledger, clock, `write:${table.target}`);
    if (held) return held;
    await clock.sleep(LOOK_AGAIN_MS);
  }
}

/**
 * Writes columns from the ledger into the table. The ledger is made durable first, so that a table never holds an
 * answer that the ledger does not. What a person changed since the fill began is found before it could be written over:
 * in a file by its mark, in a table that others change at any moment row by row. Nothing is written when the table already stands so.
 */
export async function writeTable(work: Work, run: string, changed: boolean): Promise<TableWritten> {
  await work.ledger.flush();
  const held = await claimTarget(work);
  try {
    return await writeAlone(work, run, changed, held);
  } finally {
    await held.letGo();
  }
}

async function writeAlone(work: Work, run: string, changed: boolean, held: Held): Promise<TableWritten> {
  const before = await readWritten(work);
  const standingNow = await work.table.standingMark();
  let edits = standingNow !== undefined && standingNow !== work.standingMark ? (await absorbEdits(work, run)).edits : 0;
  const writers = writersOf(work, before);
  const showsStates = work.table.showsStates === true ? { showsStates: true } : {};
  const about = { ...showsStates, key: work.table.keyColumns, writers };
  const now: Written = { source: (await work.table.sourceMark()) ?? null, standing: standingNow ?? null, ...about };
  const isAsLeft = await standsAsLeft(work, before, standingNow);
  if (
    !changed &&
    edits === 0 &&
    now.source !== null &&
    isAsLeft &&
    sameWritten(before, now) &&
    !(await hasUnwritten(work, writers, before))
  )
    return NOT_WRITTEN;
  const refused: Refusal[] = [];
  const standing = await work.table.write(
    writers.flatMap((writer) => writer.columns),
    async (keys, rows) => {
      // What this process was about to write may be old by now.
      if (await held.isLost()) throw new YoroshiError("planBusy", { plan: work.plan.name });
      const cells: Record<string, CellOut>[] = keys.map(() => ({}));
      for (const writer of writers) {
        if (rows && !work.renews) edits += await absorbRows(work, writer, rows, run, before.at, { isEarlier: work.isEarlier });
        const records = await work.ledger.cells.find(writer.plan, writer.step, keys);
        keys.forEach((key, index) => addCells(cells[index]!, writer, records.get(key), before.at, work.renews));
      }
      return cells;
    },
    {
      ...(work.table.showsStates ? { statesOf: statesOf(work, writers) } : {}),
      touched: standingNow !== undefined && !isAsLeft,
      givesUp: work.overwrite.size > 0 || work.refused.size > 0 || work.renews === true,
      onRefused: (refusals) => void refused.push(...refusals),
    },
  );
  await keepTrail(work, standingNow, standing);
  const { onlyKeys } = work.table;
  // Of a part it is known row by row: of all others, what the ledger has got since the table was last written is still to be written.
  if (onlyKeys) {
    if (refused.length === 0) await keepWrittenRows(work, writers, [...onlyKeys], before.at);
  } else
    await keepWritten(work, {
      source: await sourceWritten(work, now.source, standing),
      standing: standing ?? null,
      at: recordTime(work.clock.now(), before.at),
      ...about,
    });
  return { written: true, edits, refused, mark: standing };
}

/**
 * The mark of the source that a writing has brought in: as it was before, unless the source itself was written. What somebody changed
 * while it was written is brought in the next time.
 */
async function sourceWritten({ table }: Work, before: string | null, standing: string | undefined): Promise<string | null> {
  const now = (await table.sourceMark()) ?? null;
  return now !== null && now === standing ? now : before;
}

/** Whether the ledger has values that the table does not hold: a process ended, or the disk was full, between recording and writing. */
async function hasUnwritten({ ledger }: Work, writers: readonly Writer[], { at = 0 }: Written): Promise<boolean> {
  for (const { plan, step } of writers) {
    const keys = await ledger.cells.changedSince(plan, step, at + 1);
    for (let from = 0; from < keys.length; from += SOME_ROWS) {
      const records = await ledger.cells.find(plan, step, keys.slice(from, from + SOME_ROWS));
      for (const { values, was } of records.values()) if (canonicalJson(values) !== canonicalJson(was ?? {})) return true;
    }
  }
  return false;
}

/** Keeps of some rows that they hold what their records say. */
async function keepWrittenRows(
  { ledger }: Work,
  writers: readonly Writer[],
  keys: readonly string[],
  writtenAt: number | undefined,
): Promise<void> {
  for (const { plan, step } of writers)
    for (let at = 0; at < keys.length; at += SOME_ROWS) {
      const records = await ledger.cells.find(plan, step, keys.slice(at, at + SOME_ROWS));
      const cells = [...records.values()].flatMap((record) =>
        isWritten(record, writtenAt) ? [] : [{ ...record, was: stillStanding(record, Infinity) }],
      );
      if (cells.length > 0) await ledger.record({ cells });
    }
}

function addCells(
  cells: Record<string, CellOut>,
  { columns }: Writer,
  record: CellRecord | undefined,
  writtenAt: number | undefined,
  renews = false,
): void {
  const was = unwritten(record, writtenAt);
  for (const { name } of columns) {
    const edited = record?.edited?.[name];
    const value = record?.values[name];
    if (edited !== undefined) cells[name] = { asIs: edited };
    else if (value !== undefined) cells[name] = value;
    // A value that a person rejected, or one that was set back, is taken out.
    else if (renews || was?.[name] !== undefined) cells[name] = "";
  }
}

/** How the cells of rows stand, step by step. */
function statesOf({ ledger }: Work, writers: readonly Writer[]): StatesOf {
  return async (keys) => {
    const shown: Record<string, ShownState>[] = keys.map(() => ({}));
    for (const { plan, step, columns } of writers) {
      const records = await ledger.cells.find(plan, step, keys);
      keys.forEach((key, index) => {
        const record = records.get(key);
        const why = record?.reason ? sentenceOf(record.reason) : record?.notes?.map(sentenceOf).join("; ");
        for (const { name } of columns) {
          const state = columnState(record, name);
          shown[index]![name] = state === "edited" ? { state } : { state, why };
        }
      });
    }
    return shown;
  };
}
