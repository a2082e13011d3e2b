import type { Clock } from "../ground/index.js";
import { guessUsage, type Model, type ModelReply, type ModelRequest, type Price } from "../model/index.js";
import { readRequest, readRows } from "./read-request.js";
import { sentences } from "../ground/index.js";
import { sureOf, weigh } from "./weigh.js";
import type { WordSense } from "./word-sense.js";

export const STANDIN_ID = "standin-small";
export const STANDIN_HOST = "standin";

/**
 * Answers a request by reading it: the task's words, the options with their meanings, the scale and the examples are
 * weighed against the fenced data. The same request always gets the same reply.
 * @example
 * ```ts
 * import { textMessage } from "yoroshi";
 * import { standinReply } from "yoroshi/standin";
 *
 * standinReply({ messages: [textMessage("user", "Sort this.")], maxTokens: 50 }).finish; // => "stop"
 * ```
 */
export function standinReply(request: ModelRequest, sense?: WordSense): ModelReply {
  const read = readRequest(request, sense);
  const several = readRows(request);
  const text = several
    ? JSON.stringify({ answers: several.map(({ mark, request: own }) => ({ row: mark, ...weigh(readRequest(own, sense)) })) })
    : read.parts.length > 0
      ? JSON.stringify(weigh(read))
      : (sentences(read.data || read.instruction)[0] ?? "");
  const usage = guessUsage(request, text);
  return usage.tokensOut > request.maxTokens
    ? { text: text.slice(0, request.maxTokens * 4), finish: "length", usage: { ...usage, tokensOut: request.maxTokens } }
    : { text, finish: "stop", usage, ...(request.logProbabilities ? { tokens: tokensOf(text, sureOf(read)) } : {}) };
}

/** The reply in tokens: one for the value of each choice, with its probability; the rest is certain. */
function tokensOf(text: string, sure: Readonly<Record<string, number>>): NonNullable<ModelReply["tokens"]> {
  const tokens: { text: string; logProbability: number }[] = [];
  let at = 0;
  for (const match of text.matchAll(/"([^"]+)":("(?:[^"\\]|\\.)*")/g)) {
    const probability = sure[match[1]!];
    if (probability === undefined) continue;
    const from = match.index + match[0].length - match[2]!.length;
    tokens.push({ text: text.slice(at, from), logProbability: 0 }, { text: match[2]!, logProbability: Math.log(probability) });
    at = from + match[2]!.length;
  }
  return [...tokens, { text: text.slice(at), logProbability: 0 }];
}

/**
 * The offline model, in process: for the browser, demos and tests.
 *
 * @param options.sense what words mean to each other; without it only equal stems, and some everyday words, are taken for alike.
 * @param options.latencyMs how long a reply takes; needs a clock. Default 0.
 * @example
 * ```ts
 * import { textMessage } from "yoroshi";
 * import { standin } from "yoroshi/standin";
 *
 * const { finish } = await standin().ask({ messages: [textMessage("user", "Sort this.")], maxTokens: 50 });
 * finish; // => "stop"
 * ```
 */
export function standin(
  options: { readonly latencyMs?: number; readonly clock?: Clock; readonly price?: Price; readonly sense?: WordSense } = {},
): Model {
  return {
    id: STANDIN_ID,
    host: STANDIN_HOST,
    price: options.price,
    ask: async (request, signal) => {
      if (options.latencyMs && options.clock) await options.clock.sleep(options.latencyMs, signal);
      return standinReply(request, options.sense);
    },
  };
}
