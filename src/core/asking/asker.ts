import { askPrepared, askTogether, type Answer, type AskOptions } from "../answer/index.js";
import { atOnce, type AtOnce, type CancelSignal, type Clock, type Micros } from "../ground/index.js";
import { dayOf, holderName, recallFrom, runHolder, type AnswerRecord, type CellRecord, type Charge, type Ledger } from "../ledger/index.js";
import { withAsk, type AskedModel, type Model } from "../model/index.js";
import { basisOf } from "../template/index.js";
import type { Answered, Question, ReadyAsking } from "./asking.js";
import { Budget, checkPrices, type Charged } from "./budget.js";
import { Company } from "./company.js";
import { Elsewhere } from "./elsewhere.js";
import { Followers } from "./followers.js";
import { HostEar, type HostChange } from "./host-says.js";
import { InFlight } from "./in-flight.js";
import { layered, type LayerOptions } from "./layers.js";
import { SharedCap } from "./shared-cap.js";

/** What every asking needs. */
export interface AskerSetup {
  readonly ledger: Ledger;
  readonly clock: Clock;
  /** The run that answers and charges are recorded under. */
  readonly run: string;
  /** All models that may be asked, each once. */
  readonly models: readonly Model[];
  /** Most requests at once, whatever models they go to. Default: as many as the models allow, else `DEFAULT_AT_ONCE`. */
  readonly atOnce?: number | undefined;
  /** Most to spend, in millionths. */
  readonly spendCap?: Micros | undefined;
  /** Most that the run may spend in all processes that fill it together. */
  readonly runCap?: Micros | undefined;
  /** Places that several askers of this process share. */
  readonly places?: AtOnce | undefined;
  /** Most that all runs on this ledger may spend in a calendar month (UTC), in millionths. */
  readonly monthlyCap?: Micros | undefined;
  /** Aborted: nothing is tried again, and what failed meanwhile counts as not asked. */
  readonly stop?: CancelSignal | undefined;
  /** Aborted: requests in flight are dropped, too. */
  readonly drop?: CancelSignal | undefined;
  readonly onBreaker?: LayerOptions["onBreaker"];
  readonly outages?: LayerOptions["outages"];
  /** A model's host says something of itself that it never said before. */
  readonly onHostChange?: ((change: HostChange) => void) | undefined;
  readonly observed?: LayerOptions["observed"];
}

/** What becomes of questions. */
export interface Taker<Q extends Question> {
  /** Whether it may be asked at all; one that may not is left. Default: always. */
  mayAsk?(question: Q): boolean;
  /** Whether nothing is asked any more, though it is waiting for its turn. Default: never. */
  isOver?(): boolean;
  /** The cells that are recorded with an answer. */
  cellsOf?(answered: Answered<Q>): CellRecord | undefined;
  /** The answer, and its cells, are recorded. */
  take(answered: Answered<Q>, cells: CellRecord | undefined): void;
  /** It stays without an answer: not asked, or an error that is not its own met it. */
  leave(question: Q, error?: unknown): void;
}

export const DEFAULT_AT_ONCE = 8;

/**
 * The way to the models: what the ledger knows is not asked, equal questions are asked once, in every process that shares the
 * ledger; what is asked goes through the layers, within the caps, and is recorded with what it was charged.
 */
export class Asker<Q extends Question = Question> {
  readonly budget: Budget;
  readonly #holder: string;
  readonly #places: AtOnce;
  /** When nothing is in flight, or all that is waits for other processes, what was reserved is given back. */
  readonly #flight = new InFlight(() => this.#rest());
  readonly #layered = new Map<Model, AskedModel>();
  readonly #options = new WeakMap<ReadyAsking, AskOptions>();
  /** Questions that wait for others to share a request with. */
  readonly #company = new Company<ReadyAsking, Q>();
  readonly #followers = new Followers<Q>();
  readonly #elsewhere: Elsewhere<Q>;
  readonly #ear: HostEar;
  /** Answers of this run that a look-up in the ledger may not have seen yet. */
  readonly #recent = new Map<string, { readonly answer: Answer; kept: boolean }>();
  /** What was charged since the last entry. */
  #charges: Charge[] = [];

  /** @throws YoroshiError `misuse` where there is a cap and a model has no price. */
  constructor(
    readonly setup: AskerSetup,
    readonly taker: Taker<Q>,
  ) {
    const { ledger, clock, models, spendCap, monthlyCap } = setup;
    this.#holder = holderName(clock);
    if (spendCap !== undefined || monthlyCap !== undefined || setup.runCap !== undefined) checkPrices(models);
    const { runCap } = setup;
    this.budget = new Budget(spendCap, [
      ...(monthlyCap === undefined ? [] : [new SharedCap(ledger, clock, this.#holder, monthlyCap)]),
      ...(runCap === undefined ? [] : [new SharedCap(ledger, clock, runHolder(this.#holder), runCap, setup.run)]),
    ]);
    this.#places = setup.places ?? atOnce(placesFor(setup));
    this.#ear = new HostEar(ledger.facts, clock, (change) => setup.onHostChange?.(change));
    this.#elsewhere = new Elsewhere(
      ledger,
      clock,
      this.#holder,
      () => this.#isOver,
      () => this.#rest(),
    );
  }

  /** How many questions are under way. */
  get inFlight(): number {
    return this.#flight.count;
  }

  /** Whether questions wait for others to share a request with. */
  get waits(): boolean {
    return this.#company.waits;
  }

  /**
   * Takes questions. Those whose answers are known come back; the others are asked as places get free, and go to the taker.
   * Resolves when the last of them has begun, so that nothing piles up.
   */
  async ask(questions: readonly Q[], onBegun?: (count: number) => void): Promise<Answered<Q>[]> {
    if (questions.length === 0) return [];
    const answers = await this.#look(questions);
    const known: Answered<Q>[] = [];
    for (const [index, question] of questions.entries()) {
      onBegun?.(index);
      const answer = this.#recent.get(question.fingerprint)?.answer ?? answers[index];
      if (answer) known.push({ question, answer, came: "reused" });
      else await this.#begin(question);
    }
    return known;
  }

  /** Answers that need not be asked for, in the order of the questions; the others are ours to ask, or another's. */
  async #look(questions: readonly Q[]): Promise<(Answer | undefined)[]> {
    const { ledger, run } = this.setup;
    const seen = [...this.#recent].filter(([, recent]) => recent.kept).map(([fingerprint]) => fingerprint);
    const find = async (some: readonly Q[]): Promise<(Answer | undefined)[]> => {
      const records = await ledger.answers.find(some.map(({ fingerprint }) => fingerprint));
      return records.map((record, index) => (record && (!some[index]!.fresh || record.run === run) ? record.answer : undefined));
    };
    const answers = await find(questions);
    for (const fingerprint of seen) this.#recent.delete(fingerprint);
    const unknown = questions.filter(
      ({ fingerprint }, index) => !answers[index] && !this.#recent.has(fingerprint) && !this.#followers.has(fingerprint),
    );
    const ours = await this.#elsewhere.claim(unknown.map(({ fingerprint }) => fingerprint));
    if (ours.length === 0) return answers;
    // Another process may have been done with it between looking and claiming.
    const own = new Set(ours);
    const again = await find(
      questions
        .map((question, index) => ({ question, index }))
        .filter(({ question, index }) => !answers[index] && own.has(question.fingerprint))
        .map(({ question }) => question),
    );
    let at = 0;
    const done: string[] = [];
    const all = questions.map((question, index) => {
      if (answers[index] || !own.has(question.fingerprint)) return answers[index];
      const found = again[at++];
      if (found) done.push(question.fingerprint);
      return found;
    });
    if (done.length > 0) await this.#elsewhere.release(done);
    return all;
  }

  async #begin(question: Q): Promise<void> {
    const { fingerprint } = question;
    if (this.#followers.join(fingerprint, question)) {
      if (this.#followers.tooMany) {
        await this.sendWaiting();
        await this.#flight.idle();
      }
      return;
    }
    if (this.taker.mayAsk?.(question) === false) return this.#leave([question]);
    this.#followers.lead(fingerprint);
    if (this.#elsewhere.has(fingerprint)) return this.#await(question);
    await this.#send(question);
  }

  async #send(question: Q): Promise<void> {
    const most = question.rowsPerRequest ?? 1;
    if (most === 1) return this.#start([question], () => this.#askOne(question));
    const questions = this.#company.join(question.asking, most, question);
    if (questions) await this.#start(questions, () => this.#askSeveral(questions));
  }

  /** What waits for company goes as it is. */
  async sendWaiting(): Promise<void> {
    for (const questions of this.#company.leave()) await this.#start(questions, () => this.#askSeveral(questions));
  }

  /** Resolves when the next question is done with; at once when none is under way. */
  next(): Promise<void> {
    return this.#flight.next();
  }

  /** Resolves when nothing is under way. */
  idle(): Promise<void> {
    return this.#flight.idle();
  }

  /** Sends what waits, waits for what is in flight, and gives back what was reserved. */
  async close(): Promise<void> {
    do {
      await this.sendWaiting();
      await this.#flight.idle();
    } while (this.waits);
    await this.#record({});
    await this.#ear.idle();
    await this.#elsewhere.close();
    for (const cap of this.budget.shared) await cap.release();
  }

  /** Another process asks it: its answer is waited for; if none comes, it is asked here. */
  #await(question: Q): void {
    this.#flight.begin();
    const settle = async (answer: Answer | undefined, error?: unknown): Promise<void> => {
      try {
        if (error !== undefined) this.#giveUp([question], error);
        else if (answer)
          await this.#settle(
            [question, ...this.#followers.take(question.fingerprint)].map((one) => ({ question: one, answer, came: "reused" as const })),
          );
        else if (this.#isOver) this.#giveUp([question]);
        else await this.#send(question);
      } finally {
        this.#flight.end();
      }
    };
    this.#elsewhere.wait(question, settle, this.setup.drop);
  }

  /** Begins when there is a place. Who stops meanwhile waits for none: others may have them all. */
  async #start(questions: readonly Q[], task: () => Promise<void>): Promise<void> {
    const hasBegun = await this.#places.start(() => {
      this.#flight.begin();
      return task();
    }, this.setup.stop);
    if (!hasBegun) this.#giveUp(questions);
  }

  get #isOver(): boolean {
    return this.taker.isOver?.() === true;
  }

  async #askOne(question: Q): Promise<void> {
    if (this.#isOver) return this.#end([question]);
    if (await this.#isTakenOver(question)) return this.#flight.end();
    let answer: Answer;
    try {
      const { prepared, working } = question.asking;
      const options = this.#optionsOf(question);
      answer = await askPrepared(prepared, question.inputs, working ? { ...options, working, fresh: question.fresh } : options);
    } catch (error) {
      return this.#end([question], error);
    }
    // Its place is free once the answer is recorded: what a kill loses is never more than what may be in flight.
    await this.#keep(question, answer);
    this.#flight.end();
  }

  /** Whether another has asked it since it was ours, or is asking: where this process was not seen for a while. */
  async #isTakenOver(question: Q): Promise<boolean> {
    if (!this.#elsewhere.mayHaveLost(question.fingerprint)) return false;
    const isOurs = await this.#elsewhere.claimAgain(question.fingerprint);
    const [record] = await this.setup.ledger.answers.find([question.fingerprint]);
    if (record && !question.fresh)
      await this.#settle(
        [question, ...this.#followers.take(question.fingerprint)].map((one) => ({
          question: one,
          answer: record.answer,
          came: "reused" as const,
        })),
      );
    else if (isOurs) return false;
    else this.#await(question);
    return true;
  }

  /** Questions of one asking in one request. */
  async #askSeveral(wanted: readonly Q[]): Promise<void> {
    const open = new Set(wanted);
    let failure: unknown;
    try {
      for (const one of wanted) if (!this.#isOver && (await this.#isTakenOver(one))) open.delete(one);
      const questions = [...open];
      const [first] = questions;
      if (!this.#isOver && first) {
        for await (const { row, answer } of askTogether(
          first.asking.prepared,
          questions.map(({ inputs }) => inputs),
          this.#optionsOf(first),
        )) {
          await this.#keep(questions[row]!, answer);
          open.delete(questions[row]!);
        }
      }
    } catch (error) {
      failure = error;
    }
    this.#end([...open], failure);
  }

  #end(questions: readonly Q[], error?: unknown): void {
    this.#giveUp(questions, error);
    this.#flight.end();
  }

  async #keep(question: Q, answer: Answer): Promise<void> {
    // Not tried again because the user stops: it is not failed, it was not reached.
    if (answer.state === "failed" && this.setup.stop?.aborted) return this.#giveUp([question]);
    const { fingerprint } = question;
    // What code made of a reading that was known took no request.
    const came = question.asking.working && answer.asks === 0 ? "reused" : "asked";
    const all: Answered<Q>[] = [{ question, answer, came }];
    // A failure is no answer: it is not kept, and the next run asks again.
    const answers = answer.state === "failed" ? [] : [this.#recordOf(question, answer)];
    const recent = { answer, kept: false };
    if (answers.length > 0) this.#recent.set(fingerprint, recent);
    for (const follower of this.#followers.take(fingerprint)) all.push({ question: follower, answer, came: "reused" });
    await this.#settle(all, answers, question.fresh === true);
    recent.kept = true;
  }

  #recordOf({ asking, inputs, fingerprint }: Q, answer: Answer): AnswerRecord {
    const { prepared, version, model } = asking;
    const { clock, run } = this.setup;
    return {
      fingerprint,
      template: prepared.template.name,
      version,
      model: model.id,
      run,
      at: clock.now(),
      basis: basisOf(prepared, model, inputs),
      answer,
    };
  }

  /** Records answers with their cells and charges, then hands them on. */
  async #settle(all: readonly Answered<Q>[], answers: readonly AnswerRecord[] = [], replace = false): Promise<void> {
    let cells: (CellRecord | undefined)[];
    try {
      cells = all.map((one) => this.taker.cellsOf?.(one));
      await this.#record({
        answers,
        cells: cells.filter((record) => record !== undefined),
        replace,
        release: [all[0]!.question.fingerprint],
      });
    } catch (error) {
      for (const { question } of all) this.taker.leave(question, error);
      return;
    }
    for (const [index, one] of all.entries()) this.taker.take(one, cells[index]);
  }

  async #record({
    answers = [],
    cells = [],
    replace = false,
    release = [],
  }: {
    answers?: readonly AnswerRecord[];
    cells?: readonly CellRecord[];
    replace?: boolean;
    release?: readonly string[];
  }): Promise<void> {
    const charges = this.#charges;
    // Also an empty one: the ledger may read the entry a moment later, and what comes until then is another entry's.
    this.#charges = [];
    const ours = this.#elsewhere.forget(release);
    if (answers.length === 0 && cells.length === 0 && charges.length === 0 && ours.length === 0) return;
    await this.setup.ledger.record({ answers, cells, charges, replace, holder: this.#holder, release: ours });
    const charged = charges.reduce((sum, { spent, unsure }) => sum + spent + unsure, 0);
    for (const cap of this.budget.shared) cap.recorded(charged);
  }

  #rest(): void {
    // What cannot be given back now is when the process ends.
    for (const cap of this.budget.shared) cap.release().catch(() => undefined);
  }

  #giveUp(questions: readonly Q[], error?: unknown): void {
    for (const question of questions) this.#leave([question, ...this.#followers.take(question.fingerprint)], error);
  }

  #leave(questions: readonly Q[], error?: unknown): void {
    this.#elsewhere.release(questions.map(({ fingerprint }) => fingerprint)).catch(() => undefined); // its time runs out by itself
    for (const question of questions) this.taker.leave(question, error);
    // What it cost all the same is not held back until others are answered.
    if (this.#charges.length > 0) void this.#record({}).catch(() => undefined); // the next entry meets the same error
  }

  #optionsOf({ asking, step, ask, signal, again }: Q): AskOptions {
    let options = this.#options.get(asking);
    if (!options) {
      const { clock, ledger, run, drop } = this.setup;
      const { model, others = {} } = asking;
      const charged = (one: Model): AskedModel => this.#chargedTo(this.#layersOf(one), step);
      const named = Object.fromEntries(Object.entries(others).map(([name, one]) => [name, charged(one)]));
      options = {
        model: charged(model),
        others: named,
        recall: recallFrom(ledger, { model: model.id, run, now: () => clock.now() }),
        clock,
        signal: drop,
      };
      this.#options.set(asking, options);
    }
    return ask === undefined && signal === undefined && again === undefined
      ? options
      : { ...options, ask, again, signal: signal ?? options.signal };
  }

  /** One for each model, whatever is asked of it, so that all share its pace and its breaker. */
  #layersOf(model: Model): AskedModel {
    let layers = this.#layered.get(model);
    if (!layers) {
      const { clock, stop, onBreaker, outages, observed } = this.setup;
      const pacing = layered(model, clock, {
        budget: this.budget,
        onCharge: (charged) => this.#charge(charged),
        giveUp: stop,
        onBreaker,
        outages,
        observed,
      });
      layers = withAsk(pacing, async (request, signal) => {
        const reply = await pacing.ask(request, signal);
        this.#ear.hear(model, reply.host);
        return reply;
      }) as AskedModel;
      this.#layered.set(model, layers);
    }
    return layers;
  }

  #chargedTo(model: AskedModel, step: string | undefined): AskedModel {
    return step === undefined
      ? model
      : (withAsk(model, (request, signal) => model.ask({ ...request, chargedTo: step }, signal)) as AskedModel);
  }

  #charge({ usage, ...charged }: Charged): void {
    const { run, clock } = this.setup;
    this.#charges.push({ run, day: dayOf(clock.now()), ...charged, tokensIn: usage.tokensIn, tokensOut: usage.tokensOut });
  }
}

function placesFor({ models, atOnce: wanted }: AskerSetup): number {
  const limits = models.map((model) => model.limits?.atOnce).filter((limit) => limit !== undefined);
  const only = models.length === 1 ? models[0]!.limits?.atOnce : undefined;
  return Math.min(wanted ?? (limits.length > 0 ? Math.max(...limits) : DEFAULT_AT_ONCE), only ?? Infinity);
}
