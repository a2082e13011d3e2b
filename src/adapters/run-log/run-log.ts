import pino, { type Logger } from "pino";
import { ModelFailure, withAsk, type Model, type ModelLayer, type ModelReply } from "../../core/index.js";

/**
 * What happens in a run as JSON lines, for whoever has to find out later. No keys, no prompts, no replies and nothing of a row
 * stands in it.
 */
export interface RunLog {
  /** Sees every attempt to ask a model. */
  readonly observed: ModelLayer;
  /** Adds a line. */
  note(event: string, facts?: Readonly<Record<string, unknown>>): void;
  /** Writes what is buffered. */
  close(): Promise<void>;
}

/**
 * A log in a file, appended to; its folder is made.
 *
 * @example
 * ```ts
 * import { runLog } from "yoroshi/node";
 *
 * const log = runLog("runs/today.jsonl");
 * log.note("fill began", { plan: "tones" });
 * await log.close();
 * ```
 */
export function runLog(file: string): RunLog {
  const destination = pino.destination({ dest: file, sync: false, mkdir: true, mode: 0o600, minLength: 4096 });
  const log: Logger = pino(
    { base: null, timestamp: pino.stdTimeFunctions.epochTime, formatters: { level: (label) => ({ level: label }) } },
    destination,
  );
  let requests = 0;
  return {
    observed: (model: Model) => {
      const quoted = JSON.stringify(model.id);
      return withAsk(model, async (request, signal) => {
        const number = ++requests;
        const began = performance.now();
        const ms = (): number => Math.round(performance.now() - began);
        try {
          const reply = await model.ask(request, signal);
          destination.write(replyLine(quoted, number, ms(), reply));
          return reply;
        } catch (error) {
          const common = { request: number, model: model.id };
          if (error instanceof ModelFailure)
            log.warn({ event: "failure", ...common, ms: ms(), kind: error.kind, status: error.status, retryAfterMs: error.retryAfterMs });
          else log.error({ event: "failure", ...common, ms: ms(), kind: "unexpected" });
          throw error;
        }
      });
    },
    note: (event, facts = {}) => log.info({ event, ...facts }),
    close: () => new Promise((resolve) => destination.flush(() => resolve())),
  };
}

/** The line of a reply, as the log's own writer would have it: thousands of them are alike but for a few figures. */
function replyLine(model: string, request: number, ms: number, { finish, usage, id }: ModelReply): string {
  const tokens = usage ? `,"tokensIn":${usage.tokensIn},"tokensOut":${usage.tokensOut}` : "";
  const own = id === undefined ? "" : `,"id":${JSON.stringify(id)}`;
  return `{"level":"info","time":${Date.now()},"event":"reply","request":${request},"model":${model},"ms":${ms},"finish":"${finish}"${tokens}${own}}\n`;
}
