import type { Answer } from "../answer/index.js";
import type { Work } from "../cells/index.js";
import type { Micros } from "../ground/index.js";
import { chargesOf, dayOf, type Charge } from "../ledger/index.js";
import type { Budget, Model } from "../model/index.js";

/** How often the ledger is asked what others spend. */
const LOOK_ELSEWHERE_MS = 1_000;

/** What is left of the month's cap, and what all runs had spent of it when this one began. */
export interface Month {
  readonly since: number;
  readonly spentBefore: Micros;
  readonly left: Micros;
}

/** What a run spends, as the ledger charges it, and what others spend of the same cap meanwhile. */
export class Books {
  /** What of the budget's spending has been charged in the ledger. */
  #charged: Micros = 0;
  #lookedAt = 0;

  constructor(
    readonly work: Work,
    readonly run: string,
    readonly budget: Budget,
    readonly month: Month | undefined,
  ) {}

  /** What an answer is charged as. */
  charge(answer: Answer, step: string, model: Model): Charge[] {
    this.#charged += answer.spent;
    return chargesOf(answer, { run: this.run, step, model: model.id, at: this.work.clock.now() });
  }

  /** What other processes spend of the month's cap meanwhile. */
  async lookElsewhere({ since, spentBefore }: Month): Promise<void> {
    const now = this.work.clock.now();
    if (now - this.#lookedAt < LOOK_ELSEWHERE_MS) return;
    this.#lookedAt = now;
    this.budget.elsewhere = Math.max(0, (await this.work.ledger.charges.since(since)) - spentBefore - this.#charged);
  }

  /** Charges what requests cost that led to no answer, and what may have been charged for those that broke off. */
  async chargeRest(model: Model | undefined): Promise<void> {
    const spent = this.budget.spent - this.#charged;
    const { unsure } = this.budget;
    if (spent === 0 && unsure === 0) return;
    await this.work.ledger.record({ charges: [{ run: this.run, step: "", model: model?.id ?? "", day: dayOf(this.work.clock.now()), requests: 0, tokensIn: 0, tokensOut: 0, spent, unsure }] });
  }
}
