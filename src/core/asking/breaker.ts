import { eitherSignal, toldOrAborted, type CancelSignal, type Clock } from "../ground/index.js";
import { ModelFailure, withAsk, type Model, type ModelLayer } from "../model/index.js";

export interface BreakerPolicy {
  /** Failures one after the other, from any requests, that open it. Default 8. */
  readonly failures: number;
  /** How long the first probe waits; each further one twice as long, up to `longestWaitMs`. Default 1 s. */
  readonly firstWaitMs: number;
  /** Default 30 s. */
  readonly longestWaitMs: number;
  /** How long it may stay open before the run ends. Default 5 minutes. */
  readonly patienceMs: number;
}

export const DEFAULT_BREAKER: BreakerPolicy = { failures: 8, firstWaitMs: 1_000, longestWaitMs: 30_000, patienceMs: 300_000 };

/** What all who ask know of hosts that are down, so that one looks whether a host is back, and the others wait for its word. */
export interface Outages {
  /** Since when the host has been down, where somebody has found it so and looks after it. */
  downSince(host: string): number | undefined;
  /** Resolves when what is known has changed. */
  changed(signal: CancelSignal | undefined): Promise<void>;
  /** We found a host down, or still down; without a reason, it is back. */
  tell(host: string, why: string | undefined): void;
}

/** What a host does when it is down, not when it is busy or rejects a request. */
const DOWN: ReadonlySet<ModelFailure["kind"]> = new Set(["server", "network", "timeout", "garbled"]);

/**
 * Stops asking a host that keeps failing (circuit breaker; Nygard 2007): all requests wait while one at a time probes it. As
 * soon as one gets through, all go on. When the patience is over, they end with `gone`, and the run with what it has.
 *
 * @param giveUp aborted when no host shall be waited for any more; what is under way goes on.
 */
export function breaking(
  clock: Clock,
  policy: Partial<BreakerPolicy> = {},
  onChange?: (state: "open" | "closed", failure?: ModelFailure) => void,
  outages?: Outages,
  giveUp?: CancelSignal,
): ModelLayer {
  const { failures, firstWaitMs, longestWaitMs, patienceMs } = { ...DEFAULT_BREAKER, ...policy };
  return (model: Model): Model => {
    let failed = 0;
    let openSince: number | undefined;
    let gone: ModelFailure | undefined;
    let probing = false;
    let probes = 0;
    let waiting: (() => void)[] = [];

    const wakeAll = (): void => {
      const all = waiting;
      waiting = [];
      for (const wake of all) wake();
    };
    const succeed = (): void => {
      failed = 0;
      if (openSince === undefined) return;
      openSince = undefined;
      probes = 0;
      outages?.tell(model.host, undefined);
      onChange?.("closed");
      wakeAll();
    };
    const fail = (failure: ModelFailure): void => {
      failed++;
      // Who looks after a host that another knows to be down would only add to its burden.
      if (openSince === undefined && failed >= failures && outages?.downSince(model.host) === undefined) {
        openSince = clock.now();
        onChange?.("open", failure);
      }
      if (openSince !== undefined) outages?.tell(model.host, failure.message);
      if (openSince !== undefined && clock.now() - openSince >= patienceMs) {
        gone = new ModelFailure("gone", `${failure.message}, for ${Math.round((clock.now() - openSince) / 1000)} s`, {
          status: failure.status,
        });
        wakeAll();
      }
    };
    /** Waits while the breaker is open; true for the one that probes. */
    const pass = async (signal: CancelSignal | undefined): Promise<boolean> => {
      while (openSince !== undefined && !gone) {
        if (signal?.aborted) throw new ModelFailure("cancelled", "cancelled");
        if (!probing) {
          probing = true;
          await clock.sleep(Math.min(longestWaitMs, firstWaitMs * 2 ** probes++), signal).catch(() => {
            probing = false;
            wakeAll();
            throw new ModelFailure("cancelled", "cancelled");
          });
          return true;
        }
        await toldOrAborted(waiting, signal);
      }
      if (gone) throw gone;
      return false;
    };

    return withAsk(model, async (request, signal) => {
      const end = eitherSignal(giveUp, signal);
      for (;;) {
        for (let since = outages?.downSince(model.host); since !== undefined && openSince === undefined;) {
          if (end?.aborted) throw new ModelFailure("cancelled", "cancelled");
          // Nobody waits for another's word longer than it would look by itself.
          if (clock.now() - since >= patienceMs)
            throw new ModelFailure("gone", `the host is down, for ${Math.round((clock.now() - since) / 1000)} s`);
          await outages!.changed(end);
          since = outages!.downSince(model.host);
        }
        const isProbe = openSince === undefined && !gone ? false : await pass(end);
        try {
          const reply = await model.ask(request, signal);
          if (isProbe) probing = false;
          succeed();
          return reply;
        } catch (error) {
          if (isProbe) probing = false;
          if (error instanceof ModelFailure) {
            if (DOWN.has(error.kind)) fail(error);
            // The host answers, if only to say no.
            else if (error.kind !== "cancelled") succeed();
          }
          // A probe that fails says nothing of its request, which goes on waiting.
          if (isProbe && openSince !== undefined && !gone) continue;
          throw gone ?? error;
        }
      }
    });
  };
}
