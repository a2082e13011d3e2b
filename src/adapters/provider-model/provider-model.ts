import {
  allowanceOf,
  messageText,
  ModelFailure,
  ownSignal,
  statusFailure,
  YoroshiError,
  type CancelSignal,
  type Clock,
  type Finish,
  type MessagePart,
  type Model,
  type ModelReply,
  type ModelRequest,
  type Usage,
} from "../../core/index.js";
import { isProvider, type Generated, type GenerateOptions, type Provider, type ProviderFile, type ProviderText } from "./provider.js";

/** Versions of the shape that are known. */
const VERSIONS: ReadonlySet<string> = new Set(["v2", "v3", "v4"]);

/** What a provider object does not say of itself. */
export interface ProviderModelOptions extends Pick<Model, "price" | "limits" | "context"> {
  readonly clock: Clock;
  /** What the host is called in messages and in fingerprints. Default: the provider's own name. */
  readonly host?: string | undefined;
  /** Whether the answer's JSON Schema is sent. Default true. */
  readonly jsonSchema?: boolean | undefined;
}

/**
 * A model that asks through a provider object of the wider ecosystem, taken by its structure. Its own retries are not used: each
 * request is one attempt, and what tries again stands in one place.
 *
 * @param provider what such a package gives for one model: `{ specificationVersion, provider, modelId, doGenerate }`.
 * @throws YoroshiError `misuse` for an object of another shape, or of a version that is not known.
 * @example
 * ```ts
 * import { providerModel, systemClock, type Provider } from "yoroshi";
 *
 * const provider: Provider = {
 *   specificationVersion: "v3",
 *   provider: "own",
 *   modelId: "small",
 *   doGenerate: async () => ({ content: [{ type: "text", text: "{}" }], finishReason: "stop", usage: { inputTokens: 1, outputTokens: 1 } }),
 * };
 * const model = providerModel(provider, { clock: systemClock(), limits: { atOnce: 20, attempts: 4 } });
 * [model.id, model.host]; // => ["small", "own"]
 * ```
 */
export function providerModel(provider: Provider, { clock, host, jsonSchema = true, price, limits, context }: ProviderModelOptions): Model {
  if (!isProvider(provider))
    throw new YoroshiError("misuse", {
      problem: "A provider's model has `specificationVersion`, `provider`, `modelId` and `doGenerate`; this object does not.",
    });
  const { specificationVersion: version, modelId } = provider;
  if (!VERSIONS.has(version))
    throw new YoroshiError("misuse", {
      problem: `The model ${modelId} of ${provider.provider} is of the version ${version}; known are ${[...VERSIONS].join(", ")}.`,
    });
  return {
    id: modelId,
    host: host ?? provider.provider,
    price,
    limits,
    context,
    async ask(request, signal) {
      const own = abortable(signal);
      try {
        const made = (await provider.doGenerate(
          optionsFor(request, jsonSchema, own.signal, provider.specificationVersion) as never,
        )) as Generated;
        return replyOf(made);
      } catch (error) {
        throw failureOf(error, signal, clock);
      } finally {
        own.release();
      }
    },
  };
}

/** Providers want the platform's own kind of signal. */
function abortable(signal: CancelSignal | undefined): { readonly signal: AbortSignal; release(): void } {
  const controller = new AbortController();
  const own = ownSignal(signal);
  if (own.signal.aborted) controller.abort();
  own.signal.addEventListener("abort", () => controller.abort(), { once: true });
  return { signal: controller.signal, release: () => own.release() };
}

function optionsFor(
  { messages, schema, schemaName, maxTokens, temperature, seed }: ModelRequest,
  jsonSchema: boolean,
  abortSignal: AbortSignal,
  version: string,
): GenerateOptions {
  return {
    prompt: messages.map((message) =>
      message.role === "system"
        ? { role: message.role, content: messageText(message) }
        : { role: message.role, content: message.parts.map((part) => providerPart(part, version)) },
    ),
    maxOutputTokens: maxTokens,
    temperature,
    seed,
    responseFormat: schema && jsonSchema ? { type: "json", schema, name: schemaName } : undefined,
    abortSignal,
  };
}

/** The wrong form of a picture fails in silence, so the version decides. */
function providerPart(part: MessagePart, version: string): ProviderText | ProviderFile {
  if (part.kind !== "picture") return { type: "text", text: part.text };
  const { type: mediaType, data } = part;
  return { type: "file", mediaType, data: version === "v2" || version === "v3" ? data : { type: "data", data } };
}

function replyOf({ content, finishReason, usage, response }: Generated): ModelReply {
  if (!Array.isArray(content)) throw new ModelFailure("garbled", "the provider gave no content");
  const text = content
    .filter((part) => part.type === "text" && typeof part.text === "string")
    .map((part) => part.text as string)
    .join("");
  const refusal = refusalIn(response?.body);
  return {
    text,
    finish: refusal === undefined ? finishOf(finishReason) : "refused",
    refusal,
    usage: usageOf(usage),
    allowance: allowanceOf(response?.headers ?? {}),
    id: typeof response?.id === "string" ? response.id : undefined,
  };
}

function finishOf(reason: unknown): Finish {
  const word = reason !== null && typeof reason === "object" ? (reason as { unified?: unknown }).unified : reason;
  if (word === "stop" || word === "length") return word;
  return word === "content-filter" ? "filtered" : "unknown";
}

function usageOf(usage: Generated["usage"]): Usage | undefined {
  const [tokensIn, tokensOut] = [countOf(usage?.inputTokens), countOf(usage?.outputTokens)];
  return tokensIn === undefined || tokensOut === undefined ? undefined : { tokensIn, tokensOut };
}

function countOf(count: unknown): number | undefined {
  const total = count !== null && typeof count === "object" ? (count as { total?: unknown }).total : count;
  return typeof total === "number" ? total : undefined;
}

/** Where a host refuses in words of its own, only the response as it came tells. */
function refusalIn(body: unknown): string | undefined {
  const refusal = (body as { choices?: { message?: { refusal?: unknown } }[] } | null | undefined)?.choices?.[0]?.message?.refusal;
  return typeof refusal === "string" && refusal !== "" ? refusal : undefined;
}

/** By which errors of provider packages are known, whatever copy of the package made them. */
const API_CALL_ERROR = Symbol.for("vercel.ai.error.AI_APICallError");

interface ApiCallError {
  readonly statusCode?: unknown;
  readonly responseHeaders?: Readonly<Record<string, string>>;
  readonly responseBody?: unknown;
}

function failureOf(error: unknown, signal: CancelSignal | undefined, clock: Clock): unknown {
  if (error instanceof ModelFailure) return error;
  if (signal?.aborted) return new ModelFailure("cancelled", "cancelled", { cause: error });
  if (error === null || typeof error !== "object" || !(API_CALL_ERROR in error)) return error;
  const { statusCode, responseHeaders = {}, responseBody } = error as ApiCallError;
  if (typeof statusCode !== "number") return new ModelFailure("network", "the connection failed", { cause: error });
  // A reply that the package could not read.
  if (statusCode >= 200 && statusCode < 300)
    return new ModelFailure("garbled", "the provider could not read the reply", { status: statusCode, cause: error });
  return statusFailure(statusCode, responseHeaders, parsed(responseBody), clock.now());
}

function parsed(body: unknown): unknown {
  try {
    return typeof body === "string" ? JSON.parse(body) : body;
  } catch {
    return undefined;
  }
}
