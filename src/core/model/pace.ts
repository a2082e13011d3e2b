import type { CancelSignal, Clock } from "../ground/index.js";
import { ModelFailure, withAsk, type ModelLayer, type ModelLimits } from "./model.js";
import { guessUsage } from "./price.js";

const MINUTE_MS = 60_000;

/**
 * Keeps a model's requests and tokens below its limits a minute: starts are spread evenly, and after a host says
 * "too many", nothing starts until its Retry-After is over.
 */
export function paced(clock: Clock, limits: ModelLimits = {}): ModelLayer {
  const gapMs = limits.requestsPerMinute ? MINUTE_MS / limits.requestsPerMinute : 0;
  const msAToken = limits.tokensPerMinute ? MINUTE_MS / limits.tokensPerMinute : 0;
  let nextStart = 0;
  const wait = async (cost: number, signal: CancelSignal | undefined): Promise<void> => {
    const now = clock.now();
    const start = Math.max(now, nextStart);
    nextStart = start + cost;
    if (start > now) {
      await clock.sleep(start - now, signal).catch(() => {
        throw new ModelFailure("cancelled", "cancelled");
      });
    }
  };
  return (model) => withAsk(model, async (request, signal) => {
      const tokens = msAToken > 0 ? guessUsage(request, "").tokensIn : 0;
      const cost = Math.max(gapMs, tokens * msAToken);
      if (cost > 0 || nextStart > clock.now()) await wait(cost, signal);
      try {
        return await model.ask(request, signal);
      } catch (error) {
        if (error instanceof ModelFailure && error.kind === "busy" && error.retryAfterMs !== undefined) {
          nextStart = Math.max(nextStart, clock.now() + Math.min(error.retryAfterMs, MINUTE_MS));
        }
        throw error;
      }
    });
}
