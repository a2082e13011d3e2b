import { eitherSignal, type CancelSignal, type Clock } from "../ground/index.js";
import { ModelFailure, withAsk, type ModelLayer } from "../model/index.js";

export interface RetryPolicy {
  /** Most attempts for one request, the first included. Default 6. */
  readonly attempts: number;
  /** Upper bound of the first wait; it doubles with each attempt. Default 500 ms. */
  readonly firstWaitMs: number;
  /** Longest wait, also when the host asks for more. Default 30 s. */
  readonly longestWaitMs: number;
}

export const DEFAULT_RETRY: RetryPolicy = { attempts: 6, firstWaitMs: 500, longestWaitMs: 30_000 };

/**
 * Tries again what may pass, with exponential backoff and full jitter (Brooker 2015: wait a random time between 0 and
 * the doubled bound), and never before the host's own Retry-After. Final failures are thrown at once.
 *
 * @param giveUp aborted when nothing shall be tried again; what is under way may still finish.
 */
export function retrying(clock: Clock, policy: Partial<RetryPolicy> = {}, giveUp?: CancelSignal): ModelLayer {
  const { attempts, firstWaitMs, longestWaitMs } = { ...DEFAULT_RETRY, ...policy };
  return (model) =>
    withAsk(model, async (request, signal) => {
      for (let attempt = 1; ; attempt++) {
        try {
          return await model.ask(request, signal);
        } catch (error) {
          if (!(error instanceof ModelFailure) || !error.mayPass || attempt >= attempts || giveUp?.aborted) throw error;
          const backoff = clock.random() * Math.min(longestWaitMs, firstWaitMs * 2 ** (attempt - 1));
          const asked = Math.min(error.retryAfterMs ?? 0, longestWaitMs);
          await clock.sleep(asked + backoff, eitherSignal(giveUp, signal)).catch(() => {
            throw giveUp?.aborted && !signal?.aborted ? error : new ModelFailure("cancelled", "cancelled");
          });
        }
      }
    });
}
