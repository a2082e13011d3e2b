import { eitherSignal, YoroshiError, type CancelSignal, type Micros } from "../ground/index.js";
import {
  BudgetSpent,
  costOf,
  dearestUsage,
  guessUsage,
  ModelFailure,
  withAsk,
  type Model,
  type ModelLayer,
  type ModelRequest,
  type Usage,
} from "../model/index.js";
import type { SharedCap } from "./shared-cap.js";

/**
 * Caps on spend that cannot be passed: the dearest possible cost of a request is reserved before it is sent and
 * settled by what it really cost. Requests wait while others' reservations may still be given back.
 */
export class Budget {
  readonly cap: Micros | undefined;
  /** Known cost of the replies so far. */
  spent: Micros = 0;
  /** Dearest cost of requests whose reply never came, though the host may have charged for them. */
  unsure: Micros = 0;
  #reserved: Micros = 0;
  #open = 0;
  #waiting: (() => void)[] = [];

  /** @param shared further caps, which others spend of, too. */
  constructor(
    cap?: Micros,
    readonly shared: readonly SharedCap[] = [],
  ) {
    this.cap = cap;
  }

  /** Spent, unsure and reserved together; never above the cap. */
  get committed(): Micros {
    return this.spent + this.unsure + this.#reserved;
  }

  /**
   * Reserves an amount. Rejects with `BudgetSpent` once it cannot fit whatever open requests give back.
   *
   * @param giveUp aborted when others are not to be waited for any more.
   */
  async reserve(amount: Micros, signal?: CancelSignal, giveUp?: CancelSignal): Promise<void> {
    for (;;) {
      if (signal?.aborted) throw new ModelFailure("cancelled", "cancelled");
      if (this.cap === undefined || this.committed + amount <= this.cap) {
        this.#reserved += amount;
        this.#open++;
        const full = await this.#cover(amount);
        if (!full) return;
        this.#reserved -= amount;
        this.#open--;
        if (this.#open > 0) {
          await this.#nextSettled();
          continue;
        }
        // Those of ours that were refused meanwhile wait for nothing.
        this.#wakeAll();
        const left = await full.left();
        if (amount > left) throw new BudgetSpent(full.why, amount, left);
        await full.wait(eitherSignal(giveUp, signal));
        if (giveUp?.aborted) throw new ModelFailure("cancelled", "cancelled");
        continue;
      }
      if (this.#open === 0 || this.spent + this.unsure + amount > this.cap) {
        throw new BudgetSpent(amount > this.cap ? "request" : "run", amount, this.cap);
      }
      await this.#nextSettled();
    }
  }

  /** Takes room below each shared cap; gives the one that has none, and what was taken of the others back. */
  async #cover(amount: Micros): Promise<SharedCap | undefined> {
    for (const [index, cap] of this.shared.entries()) {
      if (await cap.cover(amount)) continue;
      for (const taken of this.shared.slice(0, index)) taken.settle(amount, 0);
      return cap;
    }
    return undefined;
  }

  #nextSettled(): Promise<void> {
    return new Promise((resolve) => this.#waiting.push(resolve));
  }

  /** Gives a reservation back and books what became of it. */
  settle(reserved: Micros, outcome: { cost: Micros } | { unsure: Micros }): void {
    this.#reserved -= reserved;
    this.#open--;
    if ("cost" in outcome) this.spent += outcome.cost;
    else this.unsure += outcome.unsure;
    for (const cap of this.shared) cap.settle(reserved, "cost" in outcome ? outcome.cost : outcome.unsure);
    this.#wakeAll();
  }

  #wakeAll(): void {
    const waiting = this.#waiting;
    this.#waiting = [];
    for (const wake of waiting) wake();
  }
}

/**
 * Holds models against a cap on what they cost.
 *
 * @throws YoroshiError `misuse` for a model without a price: the cap could not be kept.
 */
export function checkPrices(models: readonly Model[]): void {
  const model = models.find((one) => !one.price);
  if (!model) return;
  const problem = `A spend cap is set, but the model ${model.id} has no price, so the cap could not be kept. Say what it costs: \`price: { input: 0.15, output: 0.60 }\` a million tokens (zeros when it is free).`;
  throw new YoroshiError("misuse", { problem });
}

/** What one request was charged, or may have been. */
export interface Charged {
  readonly model: string;
  readonly step: string;
  readonly requests: number;
  readonly usage: Usage;
  readonly spent: Micros;
  readonly unsure: Micros;
}

const NO_USAGE: Usage = { tokensIn: 0, tokensOut: 0 };

/**
 * Reserves before every attempt of a model, settles after it, and tells what it was charged.
 *
 * @param giveUp aborted when nobody shall wait for room any more; what is under way goes on.
 */
export function budgeted(budget: Budget, onCharge?: (charged: Charged) => void, giveUp?: CancelSignal): ModelLayer {
  return (model: Model): Model => {
    const charge = ({ chargedTo = "" }: ModelRequest, more: Partial<Charged>): void =>
      onCharge?.({ model: model.id, step: chargedTo, requests: 0, usage: NO_USAGE, spent: 0, unsure: 0, ...more });
    return withAsk(model, async (request, signal) => {
      const reserved = costOf(dearestUsage(request), model.price);
      await budget.reserve(reserved, signal, giveUp);
      try {
        const reply = await model.ask(request, signal);
        const usage = reply.usage ?? guessUsage(request, reply.text);
        const spent = costOf(usage, model.price);
        budget.settle(reserved, { cost: spent });
        charge(request, { requests: 1, usage, spent });
        return reply;
      } catch (error) {
        const unsure = error instanceof ModelFailure && error.maybeCharged ? reserved : 0;
        budget.settle(reserved, { unsure });
        if (unsure > 0) charge(request, { unsure });
        throw error;
      }
    });
  };
}
