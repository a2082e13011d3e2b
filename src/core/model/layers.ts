import type { CancelSignal, Clock } from "../ground/index.js";
import { breaking } from "./breaker.js";
import { budgeted, type Budget } from "./budget.js";
import type { Model, ModelFailure, ModelLayer } from "./model.js";
import { paced } from "./pace.js";
import { retrying } from "./retry.js";
import { secondRequest } from "./second-request.js";
import { checkedUsage } from "./usage.js";

export interface LayerOptions {
  readonly budget?: Budget | undefined;
  /** Aborted when nothing shall be tried again. */
  readonly giveUp?: CancelSignal | undefined;
  /** Told when a host keeps failing, and when it answers again. */
  readonly onBreaker?: ((model: Model, state: "open" | "closed", failure?: ModelFailure) => void) | undefined;
  /** Stands next to the model itself and sees every attempt: logs, telemetry. */
  readonly observed?: ModelLayer | undefined;
}

/**
 * A model with everything around it that asking at size needs, from the outside in: what may pass is tried again; a host that
 * is down is waited for; a straggler is asked twice, where the model says so; its limits are kept; the budget is kept.
 */
export function layered(model: Model, clock: Clock, { budget, giveUp, onBreaker, observed }: LayerOptions = {}): Model {
  const { patienceMs, secondRequestAfter } = model.limits ?? {};
  const counted = checkedUsage()(model);
  const seen = observed ? observed(counted) : counted;
  const paying = budget ? budgeted(budget)(seen) : seen;
  // The pace is that of the model itself, whoever observes or pays.
  const inPace = paced(clock, model)(paying);
  const inTime = secondRequestAfter === undefined ? inPace : secondRequest(clock, secondRequestAfter)(inPace);
  const whole = breaking(clock, patienceMs === undefined ? {} : { patienceMs }, onBreaker && ((state, failure) => onBreaker(model, state, failure)))(inTime);
  return retrying(clock, {}, giveUp)(whole);
}
