import { YoroshiError, type CancelSignal, type Micros } from "../ground/index.js";
import { ModelFailure, withAsk, type Model, type ModelLayer } from "./model.js";
import { costOf, dearestUsage, guessUsage } from "./price.js";

/** What leaves no room: the run's own cap, the month's, or a cap that is too small for a single request of this kind. */
export type CapWhy = "run" | "month" | "request";

/** Thrown instead of a request that could pass the cap. */
export class BudgetSpent extends Error {
  override readonly name = "BudgetSpent";

  constructor(
    readonly why: CapWhy,
    /** The dearest that the request could have cost, and the cap. */
    readonly needs: Micros,
    readonly cap: Micros,
  ) {
    super(why === "request" ? "one request may cost more than the cap" : `the ${why === "month" ? "month's" : "spend"} cap leaves no room for another request`);
  }
}

/**
 * A cap on spend that cannot be passed: the dearest possible cost of a request is reserved before it is sent and
 * settled by what it really cost. Requests wait while others' reservations may still be given back.
 */
export class Budget {
  readonly cap: Micros | undefined;
  /** Known cost of the replies so far. */
  spent: Micros = 0;
  /** Dearest cost of requests whose reply never came, though the host may have charged for them. */
  unsure: Micros = 0;
  /** Charged elsewhere against the same cap, by other processes, since this budget was made. */
  elsewhere: Micros = 0;
  #reserved: Micros = 0;
  #open = 0;
  #waiting: (() => void)[] = [];

  /** @param of whose cap it is. */
  constructor(
    cap?: Micros,
    readonly of: "run" | "month" = "run",
  ) {
    this.cap = cap;
  }

  /** Spent, unsure, spent elsewhere and reserved together; never above the cap. */
  get committed(): Micros {
    return this.spent + this.unsure + this.elsewhere + this.#reserved;
  }

  /** Reserves an amount. Rejects with `BudgetSpent` once it cannot fit whatever open requests give back. */
  async reserve(amount: Micros, signal?: CancelSignal): Promise<void> {
    while (this.cap !== undefined && this.committed + amount > this.cap) {
      if (signal?.aborted) throw new ModelFailure("cancelled", "cancelled");
      if (this.#open === 0 || this.spent + this.unsure + this.elsewhere + amount > this.cap) throw new BudgetSpent(this.of === "run" && amount > this.cap ? "request" : this.of, amount, this.cap);
      await new Promise<void>((resolve) => this.#waiting.push(resolve));
    }
    this.#reserved += amount;
    this.#open++;
  }

  /** Gives a reservation back and books what became of it. */
  settle(reserved: Micros, outcome: { cost: Micros } | { unsure: Micros }): void {
    this.#reserved -= reserved;
    this.#open--;
    if ("cost" in outcome) this.spent += outcome.cost;
    else this.unsure += outcome.unsure;
    const waiting = this.#waiting;
    this.#waiting = [];
    for (const wake of waiting) wake();
  }
}

/**
 * A budget for models.
 *
 * @param cap in millionths of the currency's unit; none when `undefined`.
 * @param of whether it is the run's own, or what the month leaves.
 * @throws YoroshiError `misuse` for a cap on a model without a price: it could not be kept.
 */
export function budgetFor(models: readonly Model[], cap: Micros | undefined, of: "run" | "month" = "run"): Budget {
  const model = models.find((one) => !one.price);
  if (cap !== undefined && model) {
    throw new YoroshiError("misuse", { problem: `A spend cap is set, but the model ${model.id} has no price, so the cap could not be kept. Say what it costs: \`price: { input: 0.15, output: 0.60 }\` a million tokens (zeros when it is free).` });
  }
  return new Budget(cap, of);
}

/** Reserves before every attempt of a model and settles after it. */
export function budgeted(budget: Budget): ModelLayer {
  return (model: Model): Model => withAsk(model, async (request, signal) => {
      const reserved = costOf(dearestUsage(request), model.price);
      await budget.reserve(reserved, signal);
      try {
        const reply = await model.ask(request, signal);
        budget.settle(reserved, { cost: costOf(reply.usage ?? guessUsage(request, reply.text), model.price) });
        return reply;
      } catch (error) {
        const unsure = error instanceof ModelFailure && error.maybeCharged ? reserved : 0;
        budget.settle(reserved, { unsure });
        throw error;
      }
    });
}
