import type { Clock } from "../ground/index.js";
import { guessUsage, type Model, type ModelReply, type ModelRequest, type Price } from "../model/index.js";
import { readRequest } from "./read-request.js";
import { sentences } from "../ground/index.js";
import { weigh } from "./weigh.js";

export const STANDIN_ID = "standin-small";
export const STANDIN_HOST = "standin";

/**
 * Answers a request by reading it: the task's words, the options with their meanings, the scale and the examples are
 * weighed against the fenced data. The same request always gets the same reply.
 */
export function standinReply(request: ModelRequest): ModelReply {
  const read = readRequest(request);
  const text = read.parts.length > 0 ? JSON.stringify(weigh(read)) : (sentences(read.data || read.instruction)[0] ?? "");
  const usage = guessUsage(request, text);
  return usage.tokensOut > request.maxTokens
    ? { text: text.slice(0, request.maxTokens * 4), finish: "length", usage: { ...usage, tokensOut: request.maxTokens } }
    : { text, finish: "stop", usage };
}

/**
 * The offline model, in process: for the browser, demos and tests.
 *
 * @param options.latencyMs how long a reply takes; needs a clock. Default 0.
 */
export function standin(options: { readonly latencyMs?: number; readonly clock?: Clock; readonly price?: Price } = {}): Model {
  return {
    id: STANDIN_ID,
    host: STANDIN_HOST,
    price: options.price,
    ask: async (request, signal) => {
      if (options.latencyMs && options.clock) await options.clock.sleep(options.latencyMs, signal);
      return standinReply(request);
    },
  };
}
