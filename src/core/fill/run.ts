import type { Answer } from "../answer/index.js";
import type { Answered, Question } from "../asking/index.js";
import {
  answeredCells,
  consider,
  editRemarks,
  givenCells,
  handOn,
  isRuled,
  leftCells,
  markedCells,
  notesRead,
  releasedCells,
  setCells,
  Told,
  walk,
  type Asked,
  type AskWork,
  type Decision,
  type FilledRow,
  type Passing,
  type StepWork,
  type Work,
} from "../cells/index.js";
import { remark, YoroshiError } from "../ground/index.js";
import type { AskAgain, CellRecord, CellState, DecisionRecord } from "../ledger/index.js";
import { judgedMark } from "../review/index.js";
import type { NamedSource } from "../template/index.js";
import { ahead } from "./ahead.js";
import { filledRow } from "./filled-row.js";
import { Route } from "./route.js";
import { countState, countUsage, newTally, type Tally } from "./tally.js";

/** Who changed a cell of the table is not known. */
const IN_TABLE = "(in the table)";
/** Rows that are looked up and decided together. */
const MOST_TOGETHER = 128;

/** A row that needs an answer. */
export interface RowQuestion extends Asked, Question {
  /** What would have to be fetched first, in a preview. */
  readonly wants?: readonly NamedSource[] | undefined;
  readonly again?: AskAgain | undefined;
}

/** What the questions of a run are handed to: the models, or what only estimates what they would take. */
export interface Hands {
  /** Takes questions and gives those that are answered already; the others come back later, through the run. */
  ask(questions: readonly RowQuestion[], onBegun: (count: number) => void): Promise<readonly Answered<RowQuestion>[]>;
  /** Keeps the records of cells that needed no answer. */
  record(cells: readonly CellRecord[], decisions?: readonly DecisionRecord[]): Promise<void>;
  /** Waits until more rows may be ready; `false` where nothing is under way any more. */
  goOn(): Promise<boolean>;
  /** Whether no further rows are read. */
  isOver(): boolean;
  /** Rows that were named and are not there are no mistake. */
  readonly orGone?: boolean | undefined;
  /** How far the run has come, 0 to 1. */
  onShare?(share: number): void;
  /** All steps of a row are settled. */
  onRow?(row: FilledRow): void;
}

/** One way through a plan's rows: which step is done when, what becomes of each cell, and the figures of it all. */
export class Run {
  readonly tallies: Readonly<Record<string, Tally>>;
  /** What a person should know of values. */
  readonly told = new Told();
  /** Rows whose key an earlier row has, too. */
  doubled = 0;
  /** Rows that were asked about, and got no answer. */
  inVain = 0;
  /** Whether a host could not be reached for some row; the next run asks again. */
  isUnreached = false;
  readonly #route: Route<Passing, StepWork>;
  /** Rows about which a model is or was asked. */
  readonly #started = new WeakSet<Passing>();
  #startedCount = 0;
  /** The records of a row's steps, where somebody waits for the row. */
  readonly #records = new WeakMap<Passing, Map<StepWork, CellRecord | undefined>>();

  /**
   * @param name the run's, for records.
   * @param mostRows most rows to ask about; a row counts once, however many of its steps ask.
   */
  constructor(
    readonly work: Work,
    readonly name: string,
    readonly mostRows: number,
  ) {
    // What rules set is no work of the fill.
    this.tallies = Object.fromEntries(work.steps.filter(({ does }) => does.kind !== "ruled").map((step) => [step.name, newTally()]));
    this.#route = new Route(work.steps);
  }

  /** Goes through the table. @throws YoroshiError `keyNotFound` for a row that was named and is not there. */
  async go(hands: Hands): Promise<void> {
    const wanted = new Set(hands.orGone ? [] : this.work.only);
    let share = 0;
    for await (const chunk of ahead(walk(this.work))) {
      for (const { row } of chunk.rows) {
        wanted.delete(row.key);
        if (row.ownKey !== undefined) this.doubled++;
      }
      this.#route.enter(chunk.rows);
      const [from, way] = [share, chunk.share - share];
      await this.#drain(hands, chunk.rows.length * this.#route.entrances, (done) => hands.onShare?.(from + way * done));
      share = chunk.share;
      hands.onShare?.(share);
      if (hands.isOver()) break;
    }
    // What the last answers made ready.
    while (this.#route.hasReady || (await hands.goOn())) await this.#drain(hands);
    if (wanted.size > 0 && !hands.isOver()) throw new YoroshiError("keyNotFound", { keys: [...wanted], table: this.work.table.name });
  }

  /** Steps that rows still wait for when the run ends are blank. */
  leaveRest(): void {
    for (const { steps } of this.#route.leaveRest()) for (const { name } of steps) this.#countBlank(name);
  }

  /** Does what is ready. @param expected how many of the rows that just came in there are, over the steps that they begin with. */
  async #drain(hands: Hands, expected = 0, onShare?: (done: number) => void): Promise<void> {
    let done = 0;
    for (let next = this.#route.next(MOST_TOGETHER); next; next = this.#route.next(MOST_TOGETHER)) {
      const { step, rows } = next;
      await this.#advance(hands, step, rows, (begun) => onShare?.(Math.min(1, (done + begun) / expected)));
      if (step.needs.length === 0) done += rows.length;
    }
  }

  /** One step for rows that have all that it needs. */
  async #advance(hands: Hands, one: StepWork, rows: readonly Passing[], onBegun: (count: number) => void): Promise<void> {
    const changed: CellRecord[] = [];
    const open: RowQuestion[] = [];
    const past: { passed: Passing; record: CellRecord | undefined }[] = [];
    const setBack: DecisionRecord[] = [];
    for (const { passed, record, decision } of await consider(this.work, one, rows)) {
      for (const { column, remark: edited } of editRemarks(one, passed, record))
        this.told.add(remark("about", { name: column, remark: edited }), passed.row.key, one.name);
      this.told.addAll(notesRead(one, passed), passed.row.key, one.name);
      setBack.push(...this.#setBack(one, passed, record));
      if (decision.do === "answer") {
        open.push({
          one,
          passed,
          record,
          ...decision,
          asking: one.does as AskWork,
          step: one.name,
          rowsPerRequest: decision.again ? 1 : one.rowsPerRequest,
        });
        continue;
      }
      const now = this.#settleWithout(one, passed, record, decision);
      if (now) changed.push(now);
      past.push({ passed, record: now ?? record });
    }
    const others = rows.length - open.length;
    for (const known of await hands.ask(open, (begun) => onBegun(others + begun))) {
      const record = this.settle(known);
      changed.push(record);
      past.push({ passed: known.question.passed, record });
    }
    if (changed.length > 0) await hands.record(changed, setBack);
    for (const { passed, record } of past) this.finish(hands, one, passed, record);
  }

  /** What a person put into columns that are the machine's alone: it is told, and kept. */
  #setBack(one: StepWork, passed: Passing, record: CellRecord | undefined): DecisionRecord[] {
    const { plan, refused, clock } = this.work;
    if (!record?.edited || passed.isFrozen || this.work.chosenSteps?.has(one.name) === false) return [];
    return Object.entries(record.edited)
      .filter(([column]) => refused.has(column))
      .map(([column, given]) => {
        this.told.add(remark("about", { name: column, remark: remark("setBack") }), passed.row.key, one.name);
        const value = record.values[column];
        return {
          act: `${this.name} ${passed.row.key}`,
          plan: plan.name,
          step: one.name,
          key: passed.row.key,
          column,
          how: "setBack",
          judged: judgedMark(record.fingerprint ?? "", column, value),
          value,
          given,
          by: IN_TABLE,
          at: clock.now(),
        };
      });
  }

  /** Books what needs no answer; gives the record that changes. */
  #settleWithout(
    one: StepWork,
    passed: Passing,
    record: CellRecord | undefined,
    decision: Exclude<Decision, { do: "answer" }>,
  ): CellRecord | undefined {
    const { work, name } = this;
    const tally = this.tallies[one.name] ?? newTally();
    const about = { one, passed, record };
    switch (decision.do) {
      case "leave":
        countState(tally, decision.state);
        if (decision.state === "filled") tally[isRuled(one, record) ? "ruled" : "reused"]++;
        return leftCells(work, about, decision.state, name);
      case "give":
        countState(tally, "filled");
        tally.ruled++;
        return givenCells(work, about, decision.rule, name);
      case "set":
        countState(tally, "filled");
        return setCells(work, about, decision.values, decision.fingerprint, name);
      case "release": {
        const released = releasedCells(work, about, decision, name);
        countState(tally, released.state);
        return released;
      }
      case "mark":
        countState(tally, decision.state);
        return markedCells(work, about, decision.state, decision.reason, name);
    }
  }

  /** Books an answer and gives the record of the row's cells. */
  settle({ question, answer, came }: Answered<RowQuestion>): CellRecord {
    const cells = answeredCells(this.work, question, question.fingerprint, answer, this.name);
    const tally = this.tallies[question.one.name]!;
    // A stale value that was not renewed stays, yet the row did not get what it needed.
    const state: CellState = answer.state !== "answered" && cells.state === "stale" ? "failed" : cells.state;
    countState(tally, state);
    if (state === "failed") this.inVain++;
    if (came === "reused") tally.reused++;
    // What its row names could not be read, so nothing was asked.
    else if (answer.asks > 0 || answer.usage.tokensIn > 0 || answer.state === "failed") this.#countAsked(tally, answer);
    return cells;
  }

  #countAsked(tally: Tally, answer: Answer): void {
    tally.asked++;
    countUsage(tally, answer.usage, answer.spent);
    if (answer.state === "failed") this.isUnreached = true;
  }

  /** A step is done for a row: later steps see what it gave, and those that waited only for it are ready. */
  finish(hands: Pick<Hands, "onRow">, one: StepWork, passed: Passing, record: CellRecord | undefined): void {
    if (this.#route.isNeeded(one)) handOn(passed, one, record);
    if (hands.onRow) this.#recordsOf(passed).set(one, record);
    if (this.#route.finish(one, passed)) hands.onRow?.(filledRow(passed, this.work.steps, this.#recordsOf(passed)));
  }

  #recordsOf(passed: Passing): Map<StepWork, CellRecord | undefined> {
    let records = this.#records.get(passed);
    if (!records) this.#records.set(passed, (records = new Map()));
    return records;
  }

  /** A step is not reached for a row, and so are not those that need it. */
  abandon({ one, passed }: Asked): void {
    for (const { name } of this.#route.abandon(one, passed)) this.#countBlank(name);
  }

  #countBlank(step: string): void {
    const tally = this.tallies[step];
    if (tally) countState(tally, "blank");
  }

  /** What a step would give is not known: gives the later steps that need it, none of which is considered. */
  passOver({ one, passed }: Asked): StepWork[] {
    const [, ...later] = this.#route.abandon(one, passed);
    return later;
  }

  /** Whether the limit of rows leaves room to ask about this one. */
  mayStart(passed: Passing): boolean {
    if (this.mostRows === Infinity || this.#started.has(passed)) return true;
    if (this.#startedCount >= this.mostRows) return false;
    this.#startedCount++;
    this.#started.add(passed);
    return true;
  }
}
