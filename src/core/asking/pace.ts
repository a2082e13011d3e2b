import { atOnce, eitherSignal, type AtOnce, type CancelSignal, type Clock } from "../ground/index.js";
import { ModelFailure, withAsk, type Model, type ModelLayer, type ModelReply } from "../model/index.js";
import { guessUsage } from "../model/index.js";

const MINUTE_MS = 60_000;
/** Starts keep this far below a stated limit, since clocks and ways differ. */
const MARGIN = 1.01;
/** A host's "too many" makes gaps half as long again, but not for each of those that were under way together. */
const SLOWER = 1.5;
const ONE_CAUSE_MS = 1_000;
/** Each reply after that makes them shorter by this share, until the stated pace is reached again. */
const FASTER = 0.995;
const LEAST_GAP_MS = 20;

/** What a model's host allows, kept for all who ask the model. */
interface Pacer {
  /** Waits for this request's turn; `undefined` where it may start at once. */
  turn(tokens: number, signal: CancelSignal | undefined): Promise<void> | undefined;
  readonly countsTokens: boolean;
  learn(reply: ModelReply | undefined, expectedTokens: number, failure: ModelFailure | undefined): void;
  readonly places: AtOnce | undefined;
  /** Takes another share of what the host allows. */
  share(share: number): void;
}

/** One for each model of the process, so that all steps, plans and trials that ask it share its limits. */
const pacers = new WeakMap<Model, Pacer>();

/**
 * Says which share of a model's requests and tokens a minute this process may use: of four that ask it together, a quarter each.
 *
 * @param share above 0, up to 1.
 */
export const takeShare = (model: Model, clock: Clock, share: number): void => pacerFor(model, clock).share(share);

/**
 * Keeps a model's requests and tokens a minute, and its requests at once, below its limits. Starts are spread evenly.
 * Where the host says what is left, or that it is too much, starts follow it; after a Retry-After nothing starts until it
 * is over; and the pace comes back by itself (after the increase and decrease of Chiu and Jain 1989).
 *
 * @param owner whose limits they are, where other layers stand between it and this one.
 * @param giveUp aborted when nobody shall wait for a place any more; what is under way goes on.
 */
export function paced(clock: Clock, owner?: Model, giveUp?: CancelSignal): ModelLayer {
  return (model) => {
    const { turn, learn, places, countsTokens } = pacerFor(owner ?? model, clock);
    const ask: Model["ask"] = async (request, signal) => {
      const tokens = countsTokens ? guessUsage(request, "").tokensIn : 0;
      const waiting = turn(tokens, signal);
      if (waiting) await waiting;
      try {
        const reply = await model.ask(request, signal);
        learn(reply, tokens, undefined);
        return reply;
      } catch (error) {
        if (error instanceof ModelFailure) learn(undefined, tokens, error);
        throw error;
      }
    };
    return withAsk(model, places ? (request, signal) => placed(places, () => ask(request, signal), eitherSignal(giveUp, signal)) : ask);
  };
}

function pacerFor(model: Model, clock: Clock): Pacer {
  let pacer = pacers.get(model);
  if (!pacer) pacers.set(model, (pacer = pacerOf(model, clock)));
  return pacer;
}

/** The places that all who ask a model in this process share; none where its host says no number. */
export const placesOf = (model: Model, clock: Clock): AtOnce | undefined => pacerFor(model, clock).places;

async function placed<T>(places: AtOnce, work: () => Promise<T>, end: CancelSignal | undefined): Promise<T> {
  return new Promise<T>((resolve, reject) => {
    const begun = places.start(() => work().then(resolve, reject), end);
    void begun.then((hasBegun) => hasBegun || reject(new ModelFailure("cancelled", "cancelled")));
  });
}

function pacerOf({ limits = {} }: Model, clock: Clock): Pacer {
  const wholeGapMs = limits.requestsPerMinute ? (MINUTE_MS / limits.requestsPerMinute) * MARGIN : 0;
  const wholeMsAToken = limits.tokensPerMinute ? (MINUTE_MS / limits.tokensPerMinute) * MARGIN : 0;
  let statedGapMs = wholeGapMs;
  let msAToken = wholeMsAToken;
  let gapMs = statedGapMs;
  let nextStart = 0;
  let nextByTokens = 0;
  let slowedAt = -Infinity;

  const slowDown = (now: number): void => {
    if (now - slowedAt < ONE_CAUSE_MS) return;
    slowedAt = now;
    gapMs = Math.min(MINUTE_MS, Math.max(LEAST_GAP_MS, gapMs * SLOWER));
  };

  return {
    places: limits.atOnce === undefined ? undefined : atOnce(limits.atOnce),
    countsTokens: wholeMsAToken > 0,
    share(share) {
      gapMs *= wholeGapMs > 0 ? wholeGapMs / share / statedGapMs : 1;
      statedGapMs = wholeGapMs / share;
      msAToken = wholeMsAToken / share;
    },
    turn(tokens, signal) {
      const now = clock.now();
      const start = Math.max(now, nextStart, nextByTokens);
      nextStart = start + gapMs;
      nextByTokens = start + tokens * msAToken;
      if (start <= now) return undefined;
      return clock.sleep(start - now, signal).catch(() => {
        throw new ModelFailure("cancelled", "cancelled");
      });
    },
    learn(reply, expectedTokens, failure) {
      const now = clock.now();
      if (failure?.kind === "busy") {
        slowDown(now);
        if (failure.retryAfterMs !== undefined) nextStart = Math.max(nextStart, now + Math.min(failure.retryAfterMs, MINUTE_MS));
      }
      if (!reply) return;
      // What the answer took beyond what was expected is owed.
      if (msAToken > 0 && reply.usage)
        nextByTokens += Math.max(0, reply.usage.tokensIn + reply.usage.tokensOut - expectedTokens) * msAToken;
      if (gapMs > statedGapMs) gapMs = gapMs * FASTER < LEAST_GAP_MS ? statedGapMs : Math.max(statedGapMs, gapMs * FASTER);
      const left = reply.allowance;
      // Nearly nothing is left: the rest is spread until the host counts anew.
      if (left && left.requests <= NEARLY_NONE)
        nextStart = Math.max(nextStart, now + Math.min(MINUTE_MS, left.resetMs / (left.requests + 1)));
    },
  };
}

const NEARLY_NONE = 3;
