import { checkPrices, type HostChange } from "../asking/index.js";
import {
  absorbEdits,
  modelsOf,
  NOT_WRITTEN,
  readWritten,
  renewsStanding,
  targetColumns,
  writeTable,
  type FillOptions,
  type FillSetup,
  type SpreadFigures,
  type ToldNote,
  type Work,
} from "../cells/index.js";
import { plainJson, YoroshiError, type Micros } from "../ground/index.js";
import { claim } from "../ledger/index.js";
import type { ModelFailure } from "../model/index.js";
import { checkMadePlan, OWN_STEP } from "../plan/index.js";
import type { Refusal } from "../table/index.js";
import { askRows, spendCapOf, tallyOf, type RunBook } from "./ask-rows.js";
import { chosenWork } from "./draw.js";
import { forgetSettled, keepSettled, readSources, settledTallies, type StepTallies } from "./settled.js";
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
  /** What models' hosts said of themselves for the first time, where it was something else before. */
  readonly hosts: readonly HostChange[];
  /** Whether anything that the ledger knows of a cell has changed. */
  readonly changed: boolean;
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
 * @throws YoroshiError `planBusy` while the same plan is being filled elsewhere; where the table cannot be read or written, or a key in
 * `only` does not exist. What the model's
 * host does wrong is in the report, and everything answered before it is kept and written.
 * @example
 * ```ts
 * import { fill, memoryLedger, memoryTable, plan, prepare, systemClock, template, type FillSetup } from "yoroshi";
 * import { standin } from "yoroshi/standin";
 *
 * const tone = template({
 *   name: "tone",
 *   inputs: { note: { kind: "text" } },
 *   task: "How does the writer feel? {{ note }}",
 *   answer: { tone: { kind: "choice", options: { calm: "plain facts", upset: "anger, complaint" } } },
 * });
 * const table = memoryTable([{ id: "1", text: "An angry complaint." }, { id: "2", text: "" }], { key: "id" });
 * const setup: FillSetup = {
 *   plan: plan({
 *     name: "tones",
 *     table: { file: "memory", key: "id" },
 *     steps: { tone: { template: "tone", inputs: { note: "text" }, fill: { tone: "tone" } } },
 *   }),
 *   // What each template step asks, by the step's name.
 *   asking: { tone: { prepared: prepare(tone), version: 1, model: standin() } },
 *   table,
 *   ledger: memoryLedger(),
 *   clock: systemClock(),
 * };
 * const { filled, skipped } = await fill(setup);
 * [filled, skipped]; // => [1, 1]
 * table.rows[0]!["tone"]; // => "upset"
 * ```
 */
export async function fill(setup: FillSetup, options: FillOptions = {}): Promise<FillReport> {
  const letGo = await claim(setup.ledger, setup.clock, `fill:${setup.plan.name}`);
  if (!letGo) throw new YoroshiError("planBusy", { plan: setup.plan.name });
  try {
    if (!setup.isChecked) await checkSetup(setup);
    const { at: writtenAt } = await readWritten(setup);
    return await fillAlone(
      { ...(await chosenWork(setup, { ...options, mayFetch: true })), writtenAt, renews: await renewsStanding(setup, options) },
      options,
    );
  } finally {
    await letGo();
  }
}

/** Holds a plan made in code against its templates and its table. @throws YoroshiError `filesInvalid`. */
async function checkSetup({ plan, asking, table }: FillSetup): Promise<void> {
  const templates = Object.fromEntries(Object.entries(asking).map(([name, { prepared }]) => [name, prepared.template]));
  const columns = await table.columns();
  // The step that copies rows made of others is our own; a table without any row may have no columns yet.
  const { [OWN_STEP]: _, ...steps } = plan.steps;
  const complaints = await checkMadePlan({ ...plan, steps }, templates, columns.length > 0 ? { name: table.name, columns } : undefined);
  if (complaints.length > 0) throw new YoroshiError("filesInvalid", { complaints });
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
  if (work.monthlyCap !== undefined || spendCapOf(work, options) !== undefined) checkPrices(modelsOf(work));
  await readyColumns(work, options.createColumns === true);
  if (work.table.keysMayRepeat) await (await import("./key-repeats.js")).checkKeys(work);
  const began = work.clock.now();
  const name = runId(work);
  let begun: Promise<void> | undefined;
  const begin = (): Promise<void> =>
    (begun ??= work.ledger.runs.start({ id: name, kind: "fill", subject: work.plan.name, startedAt: began }));
  if (!options.quiet) await begin();
  // Who wants every row is given every row.
  const settled = options.on?.row ? undefined : await settledTallies(work, options);
  if (settled) {
    const tally = sumTallies(Object.values(settled.tallies));
    if (begun) await work.ledger.runs.end({ id: name, endedAt: work.clock.now(), end: "done", tally: plainJson(tally) });
    return { ...NOTHING_DONE, ...tally, steps: settled.tallies, notes: settled.notes, run: name, tookMs: work.clock.now() - began };
  }
  await forgetSettled(work);
  // Before anything is read: what changes while the run goes on is left for the next.
  const read = await readSources(work);
  const { edits: newEdits, earlier, mark } = await absorbEdits(work, name);
  const isEarlier = earlier > 0;
  if (newEdits > 0) await begin();
  if (options.spread) await begin();
  const others = await options.spread?.(work, name);
  const endRun: RunBook["end"] = (how, tally, steps) =>
    work.ledger.runs.end({ id: name, endedAt: work.clock.now(), end: how, tally: plainJson({ ...withOthers(tally, others), steps }) });
  const gone = await askRows({ ...work, isEarlier }, options, name, { begin, end: endRun }, { isSpread: options.spread !== undefined });
  const { run, ending, unsure, spent, changed, hosts } = gone;
  if (run.doubled > 0) (await import("./key-repeats.js")).refuseKeys(work, run);
  const mustWrite = changed || newEdits > 0 || isEarlier || work.renews === true;
  const wrote =
    ending.end === "done" || mustWrite ? await writeTable({ ...work, standingMark: mark, isEarlier }, name, mustWrite) : NOT_WRITTEN;
  const notes = run.told.all;
  const tally = withOthers(tallyOf(run, spent), others);
  const hasNothingLeft = ending.end === "done" && tally.blank === 0 && !run.isUnreached && !changesWithTime(work, tally);
  if (hasNothingLeft) await keepSettled(work, options, { tallies: run.tallies, notes }, { read, left: wrote.mark ?? mark });
  const { end, error, errorHost, capped } = ending;
  return {
    ...withRefused(tally, wrote.refused),
    run: name,
    steps: run.tallies,
    end,
    error,
    errorHost,
    capped,
    unsure,
    newEdits: newEdits + (others?.edits ?? 0) + wrote.edits,
    earlier,
    notes,
    inVain: run.inVain,
    hosts,
    refused: wrote.refused,
    changed: changed || newEdits + wrote.edits > 0,
    written: wrote.written,
    tookMs: work.clock.now() - began,
  };
}

/** What is held becomes due by itself. */
const changesWithTime = ({ plan: { review } }: Work, { held }: Tally): boolean =>
  held > 0 && review?.overdue !== undefined && review.overdue.then !== "wait";

const NOTHING_DONE = {
  end: "done",
  unsure: 0,
  newEdits: 0,
  earlier: 0,
  inVain: 0,
  hosts: [],
  refused: [],
  changed: false,
  written: false,
} as const;

/** With what others asked for this run: what is known now because of them was not known before. */
function withOthers(tally: Tally, others: SpreadFigures | undefined): Tally {
  if (!others) return tally;
  const { asked, tokensIn, tokensOut, spent } = others;
  return {
    ...tally,
    asked: tally.asked + asked,
    reused: Math.max(0, tally.reused - asked),
    tokensIn: tally.tokensIn + tokensIn,
    tokensOut: tally.tokensOut + tokensOut,
    spent: tally.spent + spent,
  };
}

/** Rows whose values the table did not take are not filled. */
function withRefused(tally: Tally, refused: readonly Refusal[]): Tally {
  const rows = Math.min(
    tally.filled,
    refused.reduce((sum, one) => sum + one.rows, 0),
  );
  return { ...tally, filled: tally.filled - rows, failed: tally.failed + rows };
}

function runId(work: Work): string {
  const time = new Date(work.clock.now()).toISOString().replace(/[-:]/g, "").slice(0, 15);
  return `${time}-${Math.floor(work.clock.random() * 0xffffff)
    .toString(16)
    .padStart(6, "0")}`;
}
