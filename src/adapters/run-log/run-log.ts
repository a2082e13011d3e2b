import pino, { type Logger } from "pino";
import { ModelFailure, withAsk, type Model, type ModelLayer } from "../../core/index.js";

/**
 * What happens in a run as JSON lines, for whoever has to find out later. No keys, no prompts, no replies and nothing of a row
 * stands in it.
 */
export interface RunLog {
  /** Sees every attempt to ask a model. */
  readonly observed: ModelLayer;
  note(event: string, facts?: Readonly<Record<string, unknown>>): void;
  /** Writes what is buffered. */
  close(): Promise<void>;
}

/** A log in a file, appended to; its folder is made. */
export function runLog(file: string): RunLog {
  const destination = pino.destination({ dest: file, sync: false, mkdir: true, mode: 0o600, minLength: 4096 });
  const log: Logger = pino(
    { base: null, timestamp: pino.stdTimeFunctions.epochTime, formatters: { level: (label) => ({ level: label }) } },
    destination,
  );
  let requests = 0;
  return {
    observed: (model: Model) =>
      withAsk(model, async (request, signal) => {
        const number = ++requests;
        const began = performance.now();
        const common = { request: number, model: model.id };
        const ms = (): number => Math.round(performance.now() - began);
        try {
          const reply = await model.ask(request, signal);
          log.info({ event: "reply", ...common, ms: ms(), finish: reply.finish, ...reply.usage, id: reply.id });
          return reply;
        } catch (error) {
          if (error instanceof ModelFailure)
            log.warn({ event: "failure", ...common, ms: ms(), kind: error.kind, status: error.status, retryAfterMs: error.retryAfterMs });
          else log.error({ event: "failure", ...common, ms: ms(), kind: "unexpected" });
          throw error;
        }
      }),
    note: (event, facts = {}) => log.info({ event, ...facts }),
    close: () => new Promise((resolve) => destination.flush(() => resolve())),
  };
}
