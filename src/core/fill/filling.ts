import { askPrepared, askTogether, type Answer, type AskOptions, type Recall } from "../answer/index.js";
import { answeredCells, givenCells, leftCells, markedCells, setCells, type Asked, type Decision, editRemarks, hand, notesRead, type Passing, type RowState, isRuled, modelsOf, type AskWork, type FillOptions, type StepWork, type Work, Told, consider, walk } from "../cells/index.js";
import { atOnce, YoroshiError, type AtOnce, type Json } from "../ground/index.js";
import { recallFrom, type AnswerRecord, type CellRecord, type Charge } from "../ledger/index.js";
import { BudgetSpent, layered, ModelFailure, type Budget, type Model } from "../model/index.js";
import { DEFAULT_AT_ONCE } from "../plan/index.js";
import { basisOf } from "../template/index.js";
import { ahead } from "./ahead.js";
import { Books, type Month } from "./books.js";
import { Company } from "./company.js";
import { Followers } from "./followers.js";
import { countState, countUsage, newTally, sumTallies, type Capped, type FillEnd, type Tally } from "./tally.js";

/** Rows that are looked up and decided together. */
const MOST_TOGETHER = 128;

/** A row that needs an answer. */
interface Question extends Asked {
  readonly does: AskWork;
  readonly fingerprint: string;
  readonly inputs: Readonly<Record<string, Json>>;
  readonly fresh: boolean;
}

/** The state of one run while it goes. */
export class Filling {
  readonly tallies: Record<string, Tally>;
  end: FillEnd = "done";
  error: ModelFailure | undefined;
  errorHost: string | undefined;
  capped: Capped | undefined;
  /** Whether any cell's record changed. */
  changed = false;
  /** Rows whose key an earlier row has, too. */
  doubled = 0;
  /** Rows that were asked about, and got no answer. */
  inVain = 0;
  /** What a person should know of values. */
  readonly told = new Told();
  /** Some row got no answer because a host could not be reached; the next run asks again. */
  #unreached = false;
  readonly #layered: ReadonlyMap<Model, Model>;
  readonly #recalls: ReadonlyMap<Model, Recall>;
  readonly #places: AtOnce;
  readonly #books: Books;
  readonly #mostRows: number;
  readonly #rows = new Map<Passing, RowState>();
  /** Step -> rows for which all that it needs is there. */
  readonly #ready = new Map<StepWork, Passing[]>();
  readonly #isNeeded: ReadonlySet<string>;
  /** Questions that wait for others to share a request with. */
  readonly #company = new Company<Question>();
  readonly #followers = new Followers<Asked>();
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
    month: Month | undefined,
  ) {
    this.#books = new Books(work, run, budget, month);
    const { clock, plan, steps } = work;
    this.tallies = Object.fromEntries(steps.map(({ name }) => [name, newTally()]));
    this.#isNeeded = new Set(steps.flatMap(({ needs }) => needs));
    // One layer a model, whatever steps ask it, so that they share its pace.
    const models = modelsOf(work);
    this.#layered = new Map(models.map((model) => [model, layered(model, clock, { budget, giveUp: options.stop, onBreaker: options.onBreaker, observed: options.observed })]));
    this.#recalls = new Map(models.map((model) => [model, recallFrom(work.ledger, { model: model.id, run, now: () => clock.now() })]));
    const most = models.map((model) => model.limits?.atOnce).filter((limit) => limit !== undefined);
    this.#places = atOnce(Math.min(plan.limits.atOnce ?? (most.length > 0 ? Math.max(...most) : DEFAULT_AT_ONCE), models.length === 1 ? (models[0]!.limits?.atOnce ?? Infinity) : Infinity));
    this.#mostRows = options.rows ?? plan.limits.rows ?? Infinity;
  }

  get tally(): Tally {
    // What replies cost, also those of a row that then got no answer because the cap left no room to go on.
    return { ...sumTallies(Object.values(this.tallies)), spent: this.budget.spent };
  }

  async go(): Promise<void> {
    const wanted = new Set(this.work.only);
    const first = this.work.steps.filter(({ needs }) => needs.length === 0);
    try {
      for await (const { rows, share } of ahead(walk(this.work))) {
        const before = this.#share;
        for (const passed of rows) {
          wanted.delete(passed.row.key);
          if (passed.row.ownKey !== undefined) this.doubled++;
          this.#rows.set(passed, { passed, todo: new Set(this.work.steps.map(({ name }) => name)), started: false });
        }
        for (const one of first) this.#makeReady(one, rows);
        await this.#drain((done) => (this.#share = before + (share - before) * done), rows.length * first.length);
        this.#share = share;
        this.#tell();
        if (this.#stopped) break;
      }
      // What the last answers made ready.
      while (this.#ready.size > 0 || this.#places.running > 0 || this.#company.waits) {
        if (this.#ready.size > 0) await this.#drain();
        else if (this.#places.running > 0) await this.#places.next();
        else await this.#sendWaiting();
      }
    } catch (error) {
      this.end = "failed";
      throw error;
    } finally {
      await this.#places.idle();
      await this.#books.chargeRest([...this.#layered.keys()][0]);
      this.#leaveRest();
      this.#tell();
    }
    if (this.#broken !== undefined) throw this.#broken;
    if (wanted.size > 0 && !this.#stopped) throw new YoroshiError("keyNotFound", { keys: [...wanted], table: this.work.table.name });
  }

  #makeReady(one: StepWork, rows: readonly Passing[]): void {
    if (rows.length > 0) this.#ready.set(one, [...(this.#ready.get(one) ?? []), ...rows]);
  }

  /** Does what is ready, later steps first, so that rows are finished rather than begun. */
  async #drain(onShare?: (done: number) => void, expected = 1): Promise<void> {
    let done = 0;
    while (this.#ready.size > 0) {
      const one = this.work.steps.findLast((step) => this.#ready.has(step))!;
      const rows = this.#ready.get(one)!;
      const some = rows.slice(0, MOST_TOGETHER);
      if (some.length < rows.length) this.#ready.set(one, rows.slice(MOST_TOGETHER));
      else this.#ready.delete(one);
      await this.#advance(one, some, (asked) => onShare?.(Math.min(1, (done + asked) / expected)));
      if (one.needs.length === 0) done += some.length;
    }
  }

  /** One step for rows that have all that it needs. */
  async #advance(one: StepWork, rows: readonly Passing[], onAsked: (asked: number) => void): Promise<void> {
    const settled: CellRecord[] = [];
    const open: Question[] = [];
    const past: { passed: Passing; record: CellRecord | undefined }[] = [];
    for (const { passed, record, decision } of await consider(this.work, one, rows)) {
      for (const { column, remark } of editRemarks(one, passed, record)) this.told.add(`${column}: ${remark}`, passed.row.key);
      this.told.addAll(notesRead(one, passed), passed.row.key);
      if (decision.do === "answer") {
        open.push({ one, does: one.does as AskWork, passed, record, ...decision });
        continue;
      }
      const changed = this.#settleWithout(one, passed, record, decision);
      if (changed) settled.push(changed);
      past.push({ passed, record: changed ?? record });
    }
    const known = await this.#knownAnswers(open);
    for (const [index, question] of open.entries()) {
      onAsked(rows.length - open.length + index);
      const answer = this.#recent.get(question.fingerprint)?.answer ?? known[index];
      if (answer) {
        const record = this.#settle(question, question.fingerprint, answer, "reused");
        settled.push(record);
        past.push({ passed: question.passed, record });
      } else await this.#ask(question);
    }
    await this.#record(settled);
    for (const { passed, record } of past) this.#finish(one, passed, record);
  }

  /** Books what needs no answer; gives the record that changes. */
  #settleWithout(one: StepWork, passed: Passing, record: CellRecord | undefined, decision: Exclude<Decision, { do: "answer" }>): CellRecord | undefined {
    const { work, run } = this;
    const tally = this.tallies[one.name]!;
    const about = { one, passed, record };
    switch (decision.do) {
      case "leave":
        countState(tally, decision.state);
        if (decision.state === "filled") tally[isRuled(one, record) ? "ruled" : "reused"]++;
        return leftCells(work, about, decision.state);
      case "give":
        countState(tally, "filled");
        tally.ruled++;
        return givenCells(work, about, decision.rule, run);
      case "set":
        countState(tally, "filled");
        return setCells(work, about, decision.values, decision.fingerprint, run);
      case "mark":
        countState(tally, decision.state);
        return markedCells(work, about, decision.state, decision.reason, run);
    }
  }

  /** A step is done for a row: later steps see what it gave, and those that waited only for it are ready. */
  #finish(one: StepWork, passed: Passing, record: CellRecord | undefined): void {
    const state = this.#rows.get(passed);
    if (!state) return;
    state.todo.delete(one.name);
    if (this.#isNeeded.has(one.name)) {
      hand(passed, one, record);
      for (const later of this.work.steps) {
        if (later.needs.includes(one.name) && later.needs.every((need) => !state.todo.has(need))) this.#makeReady(later, [passed]);
      }
    }
    if (state.todo.size === 0) this.#rows.delete(passed);
  }

  /** Answers that need not be asked for, in the order of the questions. */
  async #knownAnswers(questions: readonly Question[]): Promise<(Answer | undefined)[]> {
    if (questions.length === 0) return [];
    const seen = [...this.#recent].filter(([, recent]) => recent.kept).map(([fingerprint]) => fingerprint);
    const records = await this.work.ledger.answers.find(questions.map((question) => question.fingerprint));
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

  async #ask(question: Question): Promise<void> {
    const { fingerprint, passed } = question;
    if (this.#followers.join(fingerprint, question)) {
      if (this.#followers.tooMany) {
        await this.#sendWaiting();
        await this.#places.idle();
      }
      return;
    }
    if (!this.#mayAsk(passed)) return this.#abandon(question);
    this.#followers.lead(fingerprint);
    if (question.one.rowsPerRequest === 1) return this.#places.start(() => this.#askOne(question));
    const questions = this.#company.join(question.one, question);
    if (questions) await this.#places.start(() => this.#askSeveral(questions));
  }

  /** What waits for company goes as it is. */
  async #sendWaiting(): Promise<void> {
    for (const questions of this.#company.leave()) await this.#places.start(() => this.#askSeveral(questions));
  }

  get #hasEnded(): boolean {
    return this.end === "failed" || this.end === "spendCap" || this.#interruptedNow();
  }

  #askOptions({ does }: Question): AskOptions {
    const others = Object.fromEntries(Object.entries(does.others ?? {}).map(([name, model]) => [name, this.#layered.get(model)!]));
    return { model: this.#layered.get(does.model)!, others, recall: this.#recalls.get(does.model)!, clock: this.work.clock, signal: this.options.drop };
  }

  async #askOne(question: Question): Promise<void> {
    if (this.#hasEnded) return this.#giveUp(question);
    try {
      await this.#take(question, await askPrepared(question.does.prepared, question.inputs, this.#askOptions(question)));
    } catch (error) {
      this.#fail(error, question.does.model);
      this.#giveUp(question);
    }
    this.#tell();
  }

  /** Questions of one step in one request. */
  async #askSeveral(questions: readonly Question[]): Promise<void> {
    const open = new Set(questions);
    const [first] = questions;
    try {
      if (!this.#hasEnded) {
        for await (const { row, answer } of askTogether(first!.does.prepared, questions.map(({ inputs }) => inputs), this.#askOptions(first!))) {
          await this.#take(questions[row]!, answer);
          open.delete(questions[row]!);
          this.#tell();
        }
      }
    } catch (error) {
      this.#fail(error, first!.does.model);
    }
    for (const question of open) this.#giveUp(question);
    this.#tell();
  }

  async #take(question: Question, answer: Answer): Promise<void> {
    // Not tried again because the user stops: the row is not failed, it was not reached.
    if (answer.state === "failed" && this.#interruptedNow()) this.#giveUp(question);
    else await this.#keep(question, answer);
  }

  /** Whether the limits leave room to ask about this row; a row counts once, however many of its steps ask. */
  #mayAsk(passed: Passing): boolean {
    if (this.#stopped || this.end === "spendCap") return false;
    const state = this.#rows.get(passed);
    if (state?.started) return true;
    if (this.#started >= this.#mostRows) {
      this.end = "rowLimit";
      return false;
    }
    this.#started++;
    if (state) state.started = true;
    return true;
  }

  async #keep(question: Question, answer: Answer): Promise<void> {
    const { work, run } = this;
    const { fingerprint, does, one } = question;
    const tally = this.tallies[one.name]!;
    tally.asked++;
    countUsage(tally, answer.usage, answer.spent);
    // A failure is no answer: it is not kept, and the next run asks again.
    const answers = answer.state === "failed" ? [] : [{ fingerprint, template: does.prepared.template.name, version: does.version, model: does.model.id, run, at: work.clock.now(), basis: basisOf(does.prepared, does.model, question.inputs), answer }];
    if (answers.length === 0) this.#unreached = true;
    const recent = { answer, kept: false };
    if (answers.length > 0) this.#recent.set(fingerprint, recent);
    const settled = [{ asked: question as Asked, record: this.#settle(question, fingerprint, answer, "asked") }];
    for (const follower of this.#followers.take(fingerprint)) settled.push({ asked: follower, record: this.#settle(follower, fingerprint, answer, "reused") });
    const charges = this.#books.charge(answer, one.name, does.model);
    await this.#record(settled.map(({ record }) => record), answers, charges, question.fresh);
    recent.kept = true;
    for (const { asked, record } of settled) this.#finish(asked.one, asked.passed, record);
  }

  /** Books a row's new state and gives its record. */
  #settle(asked: Asked, fingerprint: string, answer: Answer, how: "asked" | "reused"): CellRecord {
    const cells = answeredCells(this.work, asked, fingerprint, answer, this.run);
    const tally = this.tallies[asked.one.name]!;
    // A stale value that was not renewed stays, yet the row did not get what it needed.
    const state = answer.state !== "answered" && cells.state === "stale" ? "failed" : cells.state;
    countState(tally, state);
    if (state === "failed") this.inVain++;
    if (how === "reused") tally.reused++;
    return cells;
  }

  #giveUp(question: Question): void {
    for (const asked of [question, ...this.#followers.take(question.fingerprint)]) this.#abandon(asked);
  }

  /** A step is not reached for a row, and so are not those that need it. */
  #abandon({ one, passed }: Asked): void {
    const state = this.#rows.get(passed);
    if (!state) return;
    const left = new Set([one.name]);
    for (const later of this.work.steps) if (later.needs.some((need) => left.has(need))) left.add(later.name);
    for (const name of left) if (state.todo.delete(name)) countState(this.tallies[name]!, "blank");
    if (state.todo.size === 0) this.#rows.delete(passed);
  }

  /** Steps that rows still wait for when the run ends are blank. */
  #leaveRest(): void {
    for (const { todo } of this.#rows.values()) for (const name of todo) countState(this.tallies[name]!, "blank");
    this.#rows.clear();
  }

  async #record(cells: readonly CellRecord[], answers: readonly AnswerRecord[] = [], charges: readonly Charge[] = [], replace = false): Promise<void> {
    if (cells.length === 0) return;
    this.changed = true;
    await this.work.ledger.record({ answers, cells, charges, replace });
    if (this.#books.month) await this.#books.lookElsewhere(this.#books.month);
  }

  #fail(error: unknown, model: Model): void {
    if (error instanceof BudgetSpent) {
      if (this.end === "done" || this.end === "rowLimit") this.end = "spendCap";
      this.capped ??= { why: error.why, needs: error.needs, cap: error.cap };
    } else if (error instanceof ModelFailure && error.kind === "cancelled") {
      this.end = "interrupted";
    } else if (error instanceof ModelFailure) {
      this.end = "failed";
      this.error ??= error;
      this.errorHost ??= model.host;
    } else {
      this.end = "failed";
      this.#broken ??= error;
    }
  }

  #tell(): void {
    if (!this.options.onProgress) return;
    const tallies = Object.values(this.tallies);
    const { rows, asked, reused, failed } = tallies.length === 1 ? tallies[0]! : sumTallies(tallies);
    const { spent } = this.budget;
    this.options.onProgress({ share: this.#share, rows, asked, reused, failed, spent, inFlight: this.#places.running });
  }
}
