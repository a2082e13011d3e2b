import { ModelFailure, type Finish, type ModelReply, type ModelRequest } from "../../core/index.js";
import { allowanceOf, retryAfterMs } from "./retry-after.js";

/** What of a chat completion is needed, as hosts send it; any of it may be missing or of another type. */
interface Completion {
  readonly id?: unknown;
  readonly choices?: readonly {
    readonly finish_reason?: unknown;
    readonly logprobs?: { readonly content?: readonly { readonly token?: unknown; readonly logprob?: unknown }[] | null } | null;
    readonly message?: { readonly content?: unknown; readonly refusal?: unknown } | null;
  }[];
  readonly usage?: { readonly prompt_tokens?: unknown; readonly completion_tokens?: unknown } | null;
}

/** The text of a message: as it is, or in parts. `undefined` where it is neither, nor left out. */
function contentText(content: unknown): string | undefined {
  if (typeof content === "string") return content;
  if (content === null || content === undefined) return "";
  return Array.isArray(content) ? content.map((part: { text?: unknown } | null) => (typeof part?.text === "string" ? part.text : "")).join("") : undefined;
}

function tokensOf(logprobs: NonNullable<Completion["choices"]>[number]["logprobs"]): ModelReply["tokens"] {
  const content = logprobs?.content;
  if (!Array.isArray(content)) return undefined;
  return content.flatMap((item: { token?: unknown; logprob?: unknown } | null) => (typeof item?.token === "string" && typeof item.logprob === "number" ? [{ text: item.token, logProbability: item.logprob }] : []));
}

const ANY_REPLY_BYTES = 256 * 1024;
/** The longest tokens have some dozen characters; each may be escaped, and thought about at length before. */
const BYTES_A_TOKEN = 256;
const BYTES_A_PROBABILITY = 4 * 1024;

/** The most bytes that the reply to a request can need. */
export function mostBytes({ maxTokens, logProbabilities }: ModelRequest): number {
  return ANY_REPLY_BYTES + maxTokens * (logProbabilities ? BYTES_A_PROBABILITY : BYTES_A_TOKEN);
}

/** The JSON body of a request in the chat-completions protocol. */
export function requestBody(id: string, request: ModelRequest, withSchema: boolean): string {
  const plain = JSON.stringify({
    model: id,
    messages: request.messages,
    temperature: request.temperature,
    max_tokens: request.maxTokens,
    seed: request.seed,
    logprobs: request.logProbabilities ? true : undefined,
  });
  return withSchema && request.schema ? `${plain.slice(0, -1)},"response_format":${formatOf(request.schema, request.schemaName)}}` : plain;
}

/** A schema is the same for thousands of rows; written out once. */
const formats = new WeakMap<object, string>();

function formatOf(schema: NonNullable<ModelRequest["schema"]>, schemaName = "answer"): string {
  let format = formats.get(schema);
  if (format === undefined) {
    format = JSON.stringify({ type: "json_schema", json_schema: { name: schemaName.replace(/[^\w-]/g, "_").slice(0, 64), strict: true, schema } });
    formats.set(schema, format);
  }
  return format;
}

/** Reads a response into a reply, or throws the failure that it stands for. */
export function readResponse(status: number, headers: Readonly<Record<string, string>>, text: string, now: number): ModelReply {
  const body = parse(text);
  if (status < 200 || status >= 300) throw statusFailure(status, headers, body, now);
  if (body === undefined) throw new ModelFailure("garbled", "the reply is not JSON", { status });
  if (body === null || typeof body !== "object") throw new ModelFailure("garbled", "the reply is not a chat completion", { status });
  if ((body as { error?: unknown }).error) throw new ModelFailure("server", `the host reported an error: ${wordsOf(body)}`, { status });
  const { id, choices, usage } = body as Completion;
  const message = Array.isArray(choices) ? choices[0]?.message : undefined;
  const content = message === null || typeof message !== "object" ? undefined : contentText(message.content);
  if (content === undefined) throw new ModelFailure("garbled", "the reply is not a chat completion", { status });
  const { finish_reason: reason, logprobs } = choices![0]!;
  const refusal = typeof message!.refusal === "string" && message!.refusal !== "" ? message!.refusal : undefined;
  const { prompt_tokens: tokensIn, completion_tokens: tokensOut } = usage ?? {};
  return {
    text: content,
    finish: refusal ? "refused" : finishOf(reason),
    refusal,
    tokens: tokensOf(logprobs),
    allowance: allowanceOf(headers),
    usage: typeof tokensIn === "number" && typeof tokensOut === "number" ? { tokensIn, tokensOut } : undefined,
    id: typeof id === "string" ? id : undefined,
  };
}

function finishOf(reason: unknown): Finish {
  if (reason === "stop" || reason === "length") return reason;
  return reason === "content_filter" ? "filtered" : "unknown";
}

function statusFailure(status: number, headers: Readonly<Record<string, string>>, body: unknown, now: number): ModelFailure {
  const said = wordsOf(body);
  const details = { status, retryAfterMs: retryAfterMs(headers, now) };
  if (status === 401 || status === 403) return new ModelFailure("unauthorised", `HTTP ${status}`, details);
  if (status === 429) {
    const code = (body as { error?: { code?: unknown; type?: unknown } } | undefined)?.error;
    if (code?.code === "insufficient_quota" || code?.type === "insufficient_quota") return new ModelFailure("quota", "the quota is spent", details);
    return new ModelFailure("busy", "the host says that it gets too many requests (HTTP 429)", details);
  }
  // 501 and 505: it will never take such a request; the address is another service's.
  if ((status >= 500 && status !== 501 && status !== 505) || status === 408 || status === 409) return new ModelFailure("server", `the host failed (HTTP ${status})`, details);
  return new ModelFailure("rejected", said || `HTTP ${status}`, details);
}

/** The host's own words about an error, shortened; they are for the person who set the model up. */
function wordsOf(body: unknown): string {
  const error = (body as { error?: unknown } | null | undefined)?.error;
  const message = typeof error === "string" ? error : (error as { message?: unknown } | null | undefined)?.message;
  return typeof message === "string" ? message.replace(/\s+/g, " ").trim().slice(0, 200) : "";
}

function parse(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}
