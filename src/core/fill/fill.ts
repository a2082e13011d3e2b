import { absorbEdits, NOT_WRITTEN, writeTable, renewsStanding, type ToldNote, modelsOf, targetColumns, type FillOptions, type FillSetup, type Work, readWritten } from "../cells/index.js";
import { relaySignal, toMicros, YoroshiError, type Json, type Micros } from "../ground/index.js";
import { claim, monthStart } from "../ledger/index.js";
import { budgetFor, type ModelFailure } from "../model/index.js";
import type { Refusal } from "../table/index.js";
import type { Month } from "./books.js";
import { chosenWork } from "./draw.js";
import { Filling } from "./filling.js";
import { checkKeys, refuseKeys } from "./key-repeats.js";
import { forgetSettled, keepSettled, settledTallies, type StepTallies } from "./settled.js";
import { sumTallies, type Capped, type FillEnd, type Tally } from "./tally.js";

export interface FillReport extends Tally {
  readonly run: string;
  readonly end: FillEnd;
  /** The figures of each step, in the order in which they are done. */
  readonly steps: StepTallies;
  /** Requests that may have been charged although no reply came. */
  readonly unsure: Micros;
  /** Cells found to have been edited by a person since the last fill. */
  readonly newEdits: number;
  /** Rows that stood as they did after an earlier write, and are written as they are now: an old result was put back. */
  readonly earlier: number;
  /** What a person should know of values: that related rows are left out, that an edited row has changed since. */
  readonly notes: readonly ToldNote[];
  /** Rows that were asked about in this run and got no answer; other failed rows fail however often they are read. */
  readonly inVain: number;
  /** Rows that the table did not take the values of, by the reason; they count as failed. */
  readonly refused: readonly Refusal[];
  /** Whether the table was written; not when it already stood so. */
  readonly written: boolean;
  readonly tookMs: number;
  /** Why the run ended early, when a model or its host was the cause. */
  readonly error?: ModelFailure | undefined;
  /** Which cap ended the run, where one did. */
  readonly capped?: Capped | undefined;
  /** The host of that model. */
  readonly errorHost?: string | undefined;
}

/**
 * Runs a plan: reads its table in chunks, asks for what is needed and not known, records every answer and cell in the
 * ledger, then writes the columns into the table. A step is done for a row as soon as what it needs is there. Nothing is
 * asked twice, nothing a person edited is changed.
 *
 * @throws YoroshiError `planBusy` while the same plan is being filled elsewhere; where the table cannot be read or written, or a key in `only` does not exist. What the model's
 * host does wrong is in the report, and everything answered before it is kept and written.
 */
export async function fill(setup: FillSetup, options: FillOptions = {}): Promise<FillReport> {
  const letGo = await claim(setup.ledger, setup.clock, `fill:${setup.plan.name}`);
  if (!letGo) throw new YoroshiError("planBusy", { plan: setup.plan.name });
  try {
    const { at: writtenAt } = await readWritten(setup);
    return await fillAlone({ ...(await chosenWork(setup, options)), writtenAt, renews: await renewsStanding(setup, options) }, options);
  } finally {
    await letGo();
  }
}

/** The columns are there, or made, before anything is asked; and they can be written. */
async function readyColumns(work: Work, create: boolean): Promise<void> {
  const { table } = work;
  const columns = targetColumns(work);
  const statements = (await table.missingColumns?.(columns)) ?? [];
  if (statements.length > 0 && !create) throw new YoroshiError("columnsMissing", { table: table.target, statements });
  if (statements.length > 0) await table.createColumns?.(columns);
  await table.checkWritable?.(columns);
}

async function fillAlone(work: Work, options: FillOptions): Promise<FillReport> {
  const runCap = options.spendCap ?? (work.plan.limits.spend === undefined ? undefined : toMicros(work.plan.limits.spend));
  const month = await monthOf(work);
  const isMonth = month !== undefined && month.left < (runCap ?? Infinity);
  const budget = budgetFor(modelsOf(work), isMonth ? month.left : runCap, isMonth ? "month" : "run");
  await readyColumns(work, options.createColumns === true);
  if (work.table.keysMayRepeat) await checkKeys(work);
  const began = work.clock.now();
  const run = runId(work);
  await work.ledger.runs.start({ id: run, kind: "fill", subject: work.plan.name, startedAt: began });
  const settled = await settledTallies(work, options);
  if (settled) {
    const tally = sumTallies(Object.values(settled.tallies));
    await work.ledger.runs.end({ id: run, endedAt: work.clock.now(), end: "done", tally: tally as unknown as Json });
    return { ...tally, steps: settled.tallies, notes: settled.notes, run, end: "done", unsure: 0, newEdits: 0, earlier: 0, inVain: 0, refused: [], written: false, tookMs: work.clock.now() - began };
  }
  await forgetSettled(work);
  const { edits: newEdits, earlier, mark } = await absorbEdits(work, run);
  const drop = relaySignal(options.drop);
  const stop = relaySignal(options.stop);
  const filling = new Filling({ ...work, isEarlier: earlier > 0 }, { ...options, drop: drop.signal, stop: stop.signal }, run, budget, month);
  try {
    await filling.go();
  } finally {
    drop.release();
    stop.release();
    // Also after an error in the table: what was answered is in the ledger, and the run has an end.
    await work.ledger.runs.end({ id: run, endedAt: work.clock.now(), end: filling.end, tally: { ...filling.tally, steps: filling.tallies } as unknown as Json });
  }
  if (filling.doubled > 0) refuseKeys(work, filling);
  const mustWrite = filling.changed || newEdits > 0 || earlier > 0 || work.renews === true;
  const projected = filling.end === "done" || mustWrite ? await writeTable({ ...work, standingMark: mark, isEarlier: earlier > 0 }, run, mustWrite) : NOT_WRITTEN;
  const notes = filling.told.all;
  if (filling.hasNothingLeft) await keepSettled(work, options, { tallies: filling.tallies, notes });
  return { ...withRefused(filling.tally, projected.refused), steps: filling.tallies, run, end: filling.end, unsure: budget.unsure, newEdits: newEdits + projected.edits, earlier, notes, inVain: filling.inVain, refused: projected.refused, written: projected.written, tookMs: work.clock.now() - began, error: filling.error, errorHost: filling.errorHost, capped: filling.capped };
}

/** Rows whose values the table did not take are not filled. */
function withRefused(tally: Tally, refused: readonly Refusal[]): Tally {
  const rows = Math.min(tally.filled, refused.reduce((sum, one) => sum + one.rows, 0));
  return { ...tally, filled: tally.filled - rows, failed: tally.failed + rows };
}

async function monthOf({ ledger, clock, monthlyCap }: Work): Promise<Month | undefined> {
  if (monthlyCap === undefined) return undefined;
  const since = monthStart(clock.now());
  const spentBefore = await ledger.charges.since(since);
  return { since, spentBefore, left: Math.max(0, monthlyCap - spentBefore) };
}

function runId(work: Work): string {
  const time = new Date(work.clock.now()).toISOString().replace(/[-:]/g, "").slice(0, 15);
  return `${time}-${Math.floor(work.clock.random() * 0xffffff).toString(16).padStart(6, "0")}`;
}
