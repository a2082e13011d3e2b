import type { CancelSignal, Clock } from "../ground/index.js";
import { checkedUsage, ModelFailure, BudgetSpent, withAsk, type AskedModel, type Model, type ModelLayer } from "../model/index.js";
import { breaking, type Outages } from "./breaker.js";
import { budgeted, type Budget, type Charged } from "./budget.js";
import { paced } from "./pace.js";
import { retrying } from "./retry.js";
import { secondRequest } from "./second-request.js";

export interface LayerOptions {
  readonly budget?: Budget | undefined;
  /** Told what every request was charged, or may have been. */
  readonly onCharge?: ((charged: Charged) => void) | undefined;
  /** Aborted when nothing shall be tried again, and neither a host nor others be waited for. */
  readonly giveUp?: CancelSignal | undefined;
  /** Told when a host keeps failing, and when it answers again. */
  readonly onBreaker?: ((model: Model, state: "open" | "closed", failure?: ModelFailure) => void) | undefined;
  /** What others who ask the same hosts know of them. */
  readonly outages?: Outages | undefined;
  /** Stands next to the model itself and sees every attempt: logs, telemetry. */
  readonly observed?: ModelLayer | undefined;
}

/**
 * A model with everything around it that asking at size needs, from the outside in: what may pass is tried again; a host that
 * is down is waited for; a straggler is asked twice, where the model says so; its limits are kept; the budget is kept.
 */
export function layered(
  model: Model,
  clock: Clock,
  { budget, onCharge, giveUp, onBreaker, outages, observed }: LayerOptions = {},
): AskedModel {
  const { patienceMs, secondRequestAfter, attempts } = model.limits ?? {};
  const counted = checkedUsage()(leavable(model));
  const seen = observed ? observed(counted) : counted;
  const paying = budget ? budgeted(budget, onCharge, giveUp)(seen) : seen;
  // The pace is that of the model itself, whoever observes or pays.
  const inPace = paced(clock, model, giveUp)(paying);
  const inTime = secondRequestAfter === undefined ? inPace : secondRequest(clock, secondRequestAfter)(inPace);
  const whole = breaking(
    clock,
    patienceMs === undefined ? {} : { patienceMs },
    onBreaker && ((state, failure) => onBreaker(model, state, failure)),
    outages,
    giveUp,
  )(inTime);
  // The one place where a bare model becomes one that may be asked.
  return retrying(clock, attempts === undefined ? {} : { attempts }, giveUp)(whole) as AskedModel;
}

/** A model's own errors are failures of one request; and it is left when the caller cancels, whether or not it hears of that. */
export function leavable(model: Model): Model {
  return withAsk(model, async (request, signal) => {
    try {
      const reply = model.ask(request, signal);
      return await (signal && !model.hearsSignal ? untilAborted(reply, signal) : reply);
    } catch (error) {
      if (error instanceof ModelFailure || error instanceof BudgetSpent) throw error;
      throw new ModelFailure(signal?.aborted ? "cancelled" : "broken", messageOf(error), { cause: error });
    }
  });
}

/** An error of somebody else's code may hold the request; its first line says enough. */
function messageOf(error: unknown): string {
  const text = error instanceof Error ? error.message : String(error);
  return `the model failed: ${(text.split("\n")[0] ?? "").slice(0, 200)}`;
}

async function untilAborted<T>(work: Promise<T>, signal: CancelSignal): Promise<T> {
  if (signal.aborted) throw new ModelFailure("cancelled", "cancelled");
  let leave: (() => void) | undefined;
  const left = new Promise<never>((_, reject) => {
    leave = () => reject(new ModelFailure("cancelled", "cancelled"));
    signal.addEventListener("abort", leave, { once: true });
  });
  try {
    return await Promise.race([work, left]);
  } finally {
    signal.removeEventListener("abort", leave!);
  }
}
