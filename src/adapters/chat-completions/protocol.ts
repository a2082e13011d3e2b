import {
  allowanceOf,
  messageText,
  ModelFailure,
  statusFailure,
  wordsOf,
  type Finish,
  type Message,
  type MessagePart,
  type HostSays,
  type ModelReply,
  type ModelRequest,
} from "../../core/index.js";

/** What of a chat completion is needed, as hosts send it; any of it may be missing or of another type. */
interface Completion {
  readonly id?: unknown;
  readonly model?: unknown;
  readonly system_fingerprint?: unknown;
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
  return Array.isArray(content)
    ? content.map((part: { text?: unknown } | null) => (typeof part?.text === "string" ? part.text : "")).join("")
    : undefined;
}

function tokensOf(logprobs: NonNullable<Completion["choices"]>[number]["logprobs"]): ModelReply["tokens"] {
  const content = logprobs?.content;
  if (!Array.isArray(content)) return undefined;
  return content.flatMap((item: { token?: unknown; logprob?: unknown } | null) =>
    typeof item?.token === "string" && typeof item.logprob === "number" ? [{ text: item.token, logProbability: item.logprob }] : [],
  );
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
  const last = request.messages.length - 1;
  const messages = request.messages.map((message, index) => (index < last ? sameMessage(message) : messageJson(message)));
  const settings = JSON.stringify({
    temperature: request.temperature,
    max_tokens: request.maxTokens,
    seed: request.seed,
    logprobs: request.logProbabilities ? true : undefined,
  });
  const format = withSchema && request.schema ? `,"response_format":${formatOf(request.schema, request.schemaName)}` : "";
  return `{"model":${JSON.stringify(id)},"messages":[${messages.join(",")}],${settings.slice(1, -1)}${format}}`;
}

const messageJson = (message: Message): string =>
  JSON.stringify({
    role: message.role,
    content: message.parts.some(({ kind }) => kind === "picture") ? message.parts.map(partJson) : messageText(message),
  });

/** A part as the protocol has it: words, or a picture as an address that holds its bytes. */
const partJson = (part: MessagePart): object =>
  part.kind === "picture"
    ? { type: "image_url", image_url: { url: `data:${part.type};base64,${part.data}` } }
    : { type: "text", text: part.text };

/** Role and examples come before the last message, and are the same for thousands of rows; written out once. */
const written = new WeakMap<Message, string>();

function sameMessage(message: Message): string {
  let json = written.get(message);
  if (json === undefined) written.set(message, (json = messageJson(message)));
  return json;
}

/** A schema is the same for thousands of rows; written out once. */
const formats = new WeakMap<object, string>();

function formatOf(schema: NonNullable<ModelRequest["schema"]>, schemaName = "answer"): string {
  let format = formats.get(schema);
  if (format === undefined) {
    format = JSON.stringify({
      type: "json_schema",
      json_schema: { name: schemaName.replace(/[^\w-]/g, "_").slice(0, 64), strict: true, schema },
    });
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
  const { id, choices, usage, model, system_fingerprint: system } = body as Completion;
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
    host: hostOf(model, system),
  };
}

/** What a host says of itself; `undefined` where it says nothing. */
function hostOf(model: unknown, system: unknown): HostSays | undefined {
  const said = {
    ...(typeof model === "string" && model !== "" ? { model } : {}),
    ...(typeof system === "string" && system !== "" ? { system } : {}),
  };
  return Object.keys(said).length === 0 ? undefined : said;
}

function finishOf(reason: unknown): Finish {
  if (reason === "stop" || reason === "length") return reason;
  return reason === "content_filter" ? "filtered" : "unknown";
}

function parse(text: string): unknown {
  try {
    return JSON.parse(text);
  } catch {
    return undefined;
  }
}
