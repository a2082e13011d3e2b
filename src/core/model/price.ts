import { canonicalJson, messageImages, messageText, utf8Length, type Message, type Micros } from "../ground/index.js";
import type { ModelRequest, Price, Usage } from "./model.js";

/** Tokens that a chat protocol adds around each message; generous, since hosts differ. */
const TOKENS_A_MESSAGE = 16;

/** What a usage costs, in millionths of the currency's unit. No price, no cost. */
export function costOf(usage: Usage, price: Price | undefined): Micros {
  return price ? Math.ceil(usage.tokensIn * price.input + usage.tokensOut * price.output) : 0;
}

/**
 * The most that a request can use. A byte-level tokenizer makes at most one token of each UTF-8 byte, so the bytes
 * of the messages and the schema bound the input whatever the model; the output is bounded by `maxTokens`.
 */
export function dearestUsage(request: ModelRequest): Usage {
  const bytes = request.messages.reduce((sum, message) => sum + utf8Length(messageText(message)) + TOKENS_A_MESSAGE, 0);
  return { tokensIn: bytes + imageTokens(request.messages) + schemaBytes(request.schema), tokensOut: request.maxTokens };
}

/** Tokens of all pictures; their bytes count for nothing. */
export const imageTokens = (messages: readonly Message[]): number =>
  messages.reduce((sum, message) => sum + messageImages(message).reduce((all, { tokens }) => all + tokens, 0), 0);

const schemaSizes = new WeakMap<object, number>();

function schemaBytes(schema: ModelRequest["schema"]): number {
  if (!schema) return 0;
  let size = schemaSizes.get(schema);
  if (size === undefined) schemaSizes.set(schema, (size = utf8Length(canonicalJson(schema))));
  return size;
}

/** A rough count for hosts that do not report usage: about four characters a token. */
export function guessUsage(request: ModelRequest, reply: string): Usage {
  const chars = request.messages.reduce((sum, message) => sum + messageText(message).length, 0);
  return {
    tokensIn: Math.ceil(chars / 4) + imageTokens(request.messages) + request.messages.length * 4,
    tokensOut: Math.ceil(reply.length / 4),
  };
}
