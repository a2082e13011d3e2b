import { askPrepared, type Answer, type Recall } from "../answer/index.js";
import { atOnce, relaySignal, toMicros, YoroshiError, type AtOnce, type Json, type Micros } from "../ground/index.js";
import { recallFrom, type AnswerRecord, type CellRecord } from "../ledger/index.js";
import { budgeted, budgetFor, BudgetSpent, type Budget, ModelFailure, paced, retrying, type Model } from "../model/index.js";
import { ahead } from "./ahead.js";
import { answeredCells, givenCells, markedCells, type Asked } from "./cells.js";
import { absorbEdits } from "./edits.js";
import { DEFAULT_AT_ONCE } from "./plan.js";
import { NOT_WRITTEN, project } from "./project.js";
import { keepSettled, settledTally } from "./settled.js";
import { targetColumns, workOf, type FillOptions, type FillSetup, type Work } from "./setup.js";
import { countState, countUsage, newTally, type FillEnd, type Tally } from "./tally.js";
import { walk } from "./walk.js";
import { readWritten, stillStanding } from "./writers.js";

export interface FillReport extends Tally {
  readonly run: string;
  readonly end: FillEnd;
  /** Requests that may have been charged although no reply came. */
  readonly unsure: Micros;
  /** Cells found to have been edited by a person since the last fill. */
  readonly newEdits: number;
  /** Whether the table was written; not when it already stood so. */
  readonly written: boolean;
  readonly tookMs: number;
  /** Why the run ended early, when the model or its host was the cause. */
  readonly error?: ModelFailure | undefined;
}

/** Rows with one fingerprint that wait for the first of them; more than this, and reading waits. */
const MOST_FOLLOWERS = 1_000;

/** A row that needs an answer. */
interface Question extends Asked {
  readonly fingerprint: string;
  readonly inputs: Readonly<Record<string, Json>>;
  readonly fresh: boolean;
}

/**
 * Runs a plan: reads its table in chunks, asks for what is needed and not known, records every answer and cell in the
 * ledger, then writes the columns into the table. Nothing is asked twice, nothing a person edited is changed.
 *
 * @throws YoroshiError `planBusy` while the same plan is being filled elsewhere; where the table cannot be read or written, or a key in `only` does not exist. What the model's
 * host does wrong is in the report, and everything answered before it is kept and written.
 */
export async function fill(setup: FillSetup, options: FillOptions = {}): Promise<FillReport> {
  const letGo = await setup.ledger.claim(`fill:${setup.plan.name}`);
  if (!letGo) throw new YoroshiError("planBusy", { plan: setup.plan.name });
  try {
    const { at: writtenAt } = await readWritten(setup);
    return await fillAlone({ ...workOf(setup, options), writtenAt }, options);
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
  const cap = options.spendCap ?? (work.plan.limits.spend === undefined ? undefined : toMicros(work.plan.limits.spend));
  for (const other of Object.values(work.others ?? {})) budgetFor(other, cap);
  const budget = budgetFor(work.model, cap);
  await readyColumns(work, options.createColumns === true);
  const began = work.clock.now();
  const run = runId(work);
  await work.ledger.startRun({ id: run, kind: "fill", subject: work.plan.name, startedAt: began });
  const settled = await settledTally(work, options);
  if (settled) {
    await work.ledger.endRun({ id: run, endedAt: work.clock.now(), end: "done", tally: settled as unknown as Json });
    return { ...settled, run, end: "done", unsure: 0, newEdits: 0, written: false, tookMs: work.clock.now() - began };
  }
  const { edits: newEdits, mark } = await absorbEdits(work, run);
  const drop = relaySignal(options.drop);
  const stop = relaySignal(options.stop);
  const filling = new Filling(work, { ...options, drop: drop.signal, stop: stop.signal }, run, budget);
  try {
    await filling.go();
  } finally {
    drop.release();
    stop.release();
    // What replies cost, also those of a row that then got no answer because the cap left no room to go on.
    filling.tally.spent = budget.spent;
    // Also after an error in the table: what was answered is in the ledger, and the run has an end.
    await work.ledger.endRun({ id: run, endedAt: work.clock.now(), end: filling.end, tally: filling.tally as unknown as Json });
  }
  const projected = filling.end === "done" || filling.changed || newEdits > 0 ? await project({ ...work, standingMark: mark }, run, filling.changed || newEdits > 0) : NOT_WRITTEN;
  if (filling.hasNothingLeft) await keepSettled(work, options, filling.tally);
  return { ...filling.tally, run, end: filling.end, unsure: budget.unsure, newEdits: newEdits + projected.edits, written: projected.written, tookMs: work.clock.now() - began, error: filling.error };
}

const isRuled = (work: Work, record: CellRecord | undefined): boolean => work.rules.some((rule) => rule.fingerprint === record?.fingerprint);

function runId(work: Work): string {
  const time = new Date(work.clock.now()).toISOString().replace(/[-:]/g, "").slice(0, 15);
  return `${time}-${Math.floor(work.clock.random() * 0xffffff).toString(16).padStart(6, "0")}`;
}

/** The state of one run while it goes. */
class Filling {
  readonly tally = newTally();
  end: FillEnd = "done";
  error: ModelFailure | undefined;
  /** Whether any cell's record changed. */
  changed = false;
  /** Some row got no answer because a host could not be reached; the next run asks again. */
  #unreached = false;
  readonly #model: Model;
  readonly #others: Readonly<Record<string, Model>>;
  readonly #recall: Recall;
  readonly #places: AtOnce;
  readonly #mostRows: number;
  /** Rows that wait for the answer of another row with the same fingerprint. */
  readonly #followers = new Map<string, Asked[]>();
  #followerCount = 0;
  /** Answers of this run that a look-up in the ledger may not have seen yet. */
  readonly #recent = new Map<string, { readonly answer: Answer; kept: boolean }>();
  /** An error that is not the model's: the ledger's, or a mistake in this code. */
  #broken: unknown;
  #started = 0;
  /** How much of the table is done with or in flight, 0 to 1. */
  #share = 0;

  constructor(
    readonly work: Work,
    readonly options: FillOptions,
    readonly run: string,
    readonly budget: Budget,
  ) {
    const { model, clock, plan } = work;
    const layered = (one: Model): Model => retrying(clock, {}, options.stop)(paced(clock, one.limits)(budgeted(budget)(one)));
    this.#model = layered(model);
    this.#others = Object.fromEntries(Object.entries(work.others ?? {}).map(([name, one]) => [name, layered(one)]));
    this.#recall = recallFrom(work.ledger, { model: model.id, run, now: () => clock.now() });
    this.#places = atOnce(Math.min(plan.limits.atOnce ?? model.limits?.atOnce ?? DEFAULT_AT_ONCE, model.limits?.atOnce ?? Infinity));
    this.#mostRows = options.rows ?? plan.limits.rows ?? Infinity;
  }

  async go(): Promise<void> {
    const wanted = new Set(this.work.only);
    try {
      for await (const { considered, share } of ahead(walk(this.work))) {
        const before = this.#share;
        const settled: CellRecord[] = [];
        const open: Question[] = [];
        for (const { row, record, decision } of considered) {
          wanted.delete(row.key);
          if (decision.do === "answer") open.push({ row, record, ...decision });
          else if (decision.do === "leave") {
            countState(this.tally, decision.state);
            if (decision.state === "filled") this.tally[isRuled(this.work, record) ? "ruled" : "reused"]++;
            if (record && record.state !== decision.state && decision.state === "filled") settled.push({ ...record, was: stillStanding(record, this.work.writtenAt), state: "filled", reason: undefined });
          } else if (decision.do === "give") {
            settled.push(givenCells(this.work, row, record, decision.rule, this.run));
            countState(this.tally, "filled");
            this.tally.ruled++;
          } else {
            const marked = markedCells(this.work, row, record, decision.state, decision.reason, this.run);
            countState(this.tally, decision.state);
            if (marked) settled.push(marked);
          }
        }
        const known = await this.#knownAnswers(open);
        for (const [index, asker] of open.entries()) {
          this.#share = before + (share - before) * (1 - (open.length - index) / considered.length);
          const answer = this.#recent.get(asker.fingerprint)?.answer ?? known[index];
          if (answer) settled.push(this.#settle(asker, asker.fingerprint, answer, "reused"));
          else await this.#ask(asker);
        }
        await this.#record(settled);
        this.#share = share;
        this.#tell();
        if (this.#stopped) break;
      }
    } catch (error) {
      this.end = "failed";
      throw error;
    } finally {
      await this.#places.idle();
      this.#tell();
    }
    if (this.#broken !== undefined) throw this.#broken;
    if (wanted.size > 0 && !this.#stopped) throw new YoroshiError("keyNotFound", { keys: [...wanted], table: this.work.table.name });
  }

  /** Answers that need not be asked for, in the order of the questions. */
  async #knownAnswers(questions: readonly Question[]): Promise<(Answer | undefined)[]> {
    if (questions.length === 0) return [];
    const seen = [...this.#recent].filter(([, recent]) => recent.kept).map(([fingerprint]) => fingerprint);
    const records = await this.work.ledger.answers(questions.map((question) => question.fingerprint));
    for (const fingerprint of seen) this.#recent.delete(fingerprint);
    return records.map((record, index) => (record && (!questions[index]!.fresh || record.run === this.run) ? record.answer : undefined));
  }

  /** Whether another run over the same rows would do nothing. */
  get hasNothingLeft(): boolean {
    return this.end === "done" && this.tally.blank === 0 && !this.#unreached;
  }

  get #stopped(): boolean {
    return this.end === "interrupted" || this.end === "failed" || this.#interruptedNow();
  }

  #interruptedNow(): boolean {
    if (this.options.stop?.aborted) this.end = "interrupted";
    return this.options.stop?.aborted === true;
  }

  async #ask(asker: Question): Promise<void> {
    const { fingerprint } = asker;
    const followers = this.#followers.get(fingerprint);
    if (followers) {
      followers.push(asker);
      this.#followerCount++;
      if (this.#followerCount > MOST_FOLLOWERS) await this.#places.idle();
      return;
    }
    if (!this.#mayAsk()) return countState(this.tally, "blank");
    this.#started++;
    this.#followers.set(fingerprint, []);
    await this.#places.start(async () => {
      if (this.end === "failed" || this.end === "spendCap" || this.#interruptedNow()) return this.#leaveBlank(asker);
      try {
        const answer = await askPrepared(this.work.prepared, asker.inputs, { model: this.#model, others: this.#others, recall: this.#recall, clock: this.work.clock, signal: this.options.drop });
        // Not tried again because the user stops: the row is not failed, it was not reached.
        if (answer.state === "failed" && this.#interruptedNow()) this.#leaveBlank(asker);
        else await this.#keep(asker, answer);
      } catch (error) {
        this.#fail(error);
        this.#leaveBlank(asker);
      }
      this.#tell();
    });
  }

  #mayAsk(): boolean {
    if (this.#stopped || this.end === "spendCap") return false;
    if (this.#started < this.#mostRows) return true;
    this.end = "rowLimit";
    return false;
  }

  async #keep(asker: Question, answer: Answer): Promise<void> {
    const { work, run, tally } = this;
    tally.asked++;
    countUsage(tally, answer.usage, answer.spent);
    const { template } = work.prepared;
    const { fingerprint } = asker;
    // A failure is no answer: it is not kept, and the next run asks again.
    const answers = answer.state === "failed" ? [] : [{ fingerprint, template: template.name, version: work.version, model: work.model.id, run, at: work.clock.now(), answer }];
    if (answers.length === 0) this.#unreached = true;
    const recent = { answer, kept: false };
    if (answers.length > 0) this.#recent.set(fingerprint, recent);
    const settled = [this.#settle(asker, fingerprint, answer, "asked")];
    for (const follower of this.#takeFollowers(fingerprint)) settled.push(this.#settle(follower, fingerprint, answer, "reused"));
    await this.#record(settled, answers, asker.fresh);
    recent.kept = true;
  }

  /** Books a row's new state and gives its record. */
  #settle(asked: Asked, fingerprint: string, answer: Answer, how: "asked" | "reused"): CellRecord {
    const cells = answeredCells(this.work, asked, fingerprint, answer, this.run);
    countState(this.tally, cells.state);
    if (answer.state !== "answered" && cells.state === "stale") {
      // The old value stays, yet the row did not get what it needed.
      this.tally.stale--;
      this.tally.failed++;
    }
    if (how === "reused") this.tally.reused++;
    return cells;
  }

  #takeFollowers(fingerprint: string): Asked[] {
    const followers = this.#followers.get(fingerprint) ?? [];
    this.#followers.delete(fingerprint);
    this.#followerCount -= followers.length;
    return followers;
  }

  #leaveBlank(asker: Question): void {
    for (const _ of [asker, ...this.#takeFollowers(asker.fingerprint)]) countState(this.tally, "blank");
  }

  async #record(cells: readonly CellRecord[], answers: readonly AnswerRecord[] = [], replace = false): Promise<void> {
    if (cells.length === 0) return;
    this.changed = true;
    await this.work.ledger.record({ answers, cells, replace });
  }

  #fail(error: unknown): void {
    if (error instanceof BudgetSpent) {
      if (this.end === "done" || this.end === "rowLimit") this.end = "spendCap";
    } else if (error instanceof ModelFailure && error.kind === "cancelled") {
      this.end = "interrupted";
    } else if (error instanceof ModelFailure) {
      this.end = "failed";
      this.error ??= error;
    } else {
      this.end = "failed";
      this.#broken ??= error;
    }
  }

  #tell(): void {
    const { rows, asked, reused, failed, spent } = this.tally;
    this.options.onProgress?.({ share: this.#share, rows, asked, reused, failed, spent, inFlight: this.#places.running });
  }
}
