import * as z from "zod/mini";
import { ModelFailure, type Finish, type ModelReply, type ModelRequest } from "../../core/index.js";
import { allowanceOf, retryAfterMs } from "./retry-after.js";

const contentPart = z.looseObject({ text: z.optional(z.string()) });
const token = z.looseObject({ token: z.string(), logprob: z.number() });

/** What of a chat completion is needed; hosts add much more. */
const completion = z.looseObject({
  id: z.optional(z.string()),
  choices: z
    .array(
      z.looseObject({
        finish_reason: z.nullish(z.string()),
        logprobs: z.nullish(z.looseObject({ content: z.nullish(z.array(token)) })),
        message: z.looseObject({ content: z.nullish(z.union([z.string(), z.array(contentPart)])), refusal: z.nullish(z.string()) }),
      }),
    )
    .check(z.minLength(1)),
  usage: z.nullish(z.looseObject({ prompt_tokens: z.number(), completion_tokens: z.number() })),
});

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
  const error = (body as { error?: unknown } | null)?.error;
  if (error) throw new ModelFailure("server", `the host reported an error: ${wordsOf(body)}`, { status });
  const parsed = completion.safeParse(body);
  if (!parsed.success) throw new ModelFailure("garbled", "the reply is not a chat completion", { status });
  const { id, choices, usage } = parsed.data;
  const [first] = choices;
  const { content, refusal } = first!.message;
  return {
    text: typeof content === "string" ? content : (content ?? []).map((part) => part.text ?? "").join(""),
    finish: refusal ? "refused" : finishOf(first!.finish_reason),
    refusal: refusal || undefined,
    tokens: first!.logprobs?.content?.map((one) => ({ text: one.token, logProbability: one.logprob })),
    allowance: allowanceOf(headers),
    usage: usage ? { tokensIn: usage.prompt_tokens, tokensOut: usage.completion_tokens } : undefined,
    id,
  };
}

function finishOf(reason: string | null | undefined): Finish {
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
  if (status >= 500 || status === 408 || status === 409) return new ModelFailure("server", `the host failed (HTTP ${status})`, details);
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
