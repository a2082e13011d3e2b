import { ownSignal, type Clock } from "../ground/index.js";
import { withAsk, type ModelLayer, type ModelReply } from "../model/index.js";

/** Replies that must have been timed before one can be called late. */
const LEAST_TIMED = 20;
const MOST_TIMED = 200;

/**
 * Asks a second time when a reply takes far longer than its peers; the first to arrive wins, the other is dropped (hedged
 * requests; Dean and Barroso 2013). Both are paid for: what is dropped counts at its dearest.
 *
 * @param times how many times the median waiting of the last 200 replies counts as late.
 */
export function secondRequest(clock: Clock, times: number): ModelLayer {
  const took: number[] = [];
  let at = 0;
  let late: number | undefined;
  const learn = (ms: number): void => {
    took[at] = ms;
    at = (at + 1) % MOST_TIMED;
    // The median moves slowly; sorting at each reply would cost more than it tells.
    if (took.length >= LEAST_TIMED && (late === undefined || at % 10 === 0))
      late = took.toSorted((a, b) => a - b)[took.length >> 1]! * times;
  };
  return (model) =>
    withAsk(model, async (request, signal) => {
      const began = clock.now();
      const timed = async (own: Parameters<typeof model.ask>[1]): Promise<ModelReply> => {
        const from = clock.now();
        const reply = await model.ask(request, own);
        learn(clock.now() - from);
        return reply;
      };
      if (late === undefined) return timed(signal);
      const first = ownSignal(signal);
      const second = ownSignal(signal);
      const timer = ownSignal(signal);
      try {
        const one = timed(first.signal);
        const wait = clock.sleep(Math.max(0, began + late - clock.now()), timer.signal).then(
          () => "late" as const,
          () => "done" as const,
        );
        const early = await Promise.race([one.then((reply) => ({ reply })), wait]);
        if (typeof early === "object") return early.reply;
        if (early === "done") return await one;
        return await firstOf(one, timed(second.signal));
      } finally {
        timer.abort();
        first.abort();
        second.abort();
        for (const own of [timer, first, second]) own.release();
      }
    });
}

/** The first reply; the failure of the first request only when both fail. */
async function firstOf(one: Promise<ModelReply>, two: Promise<ModelReply>): Promise<ModelReply> {
  return Promise.any([one, two]).catch((error: unknown) => {
    throw (error as AggregateError).errors[0];
  });
}
