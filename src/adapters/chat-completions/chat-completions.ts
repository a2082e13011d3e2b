import {
  ModelFailure,
  ownSignal,
  type CancelSignal,
  type Clock,
  type Model,
  type ModelLimits,
  type ModelReply,
  type ModelRequest,
  type Price,
} from "../../core/index.js";
import { redactor } from "./key.js";
import { mostBytes, readResponse, requestBody } from "./protocol.js";
import type { Send } from "./send.js";

/** How a host that speaks the chat-completions protocol is asked. */
export interface ChatCompletionsOptions {
  /** Address up to and without `/chat/completions`. */
  readonly endpoint: string;
  /** The model's id at the host. */
  readonly id: string;
  /** Sent as a bearer token; never logged, never in an error. */
  readonly key?: string | undefined;
  readonly price?: Price | undefined;
  readonly limits?: ModelLimits | undefined;
  /** Most tokens of a request and its reply together. */
  readonly context?: number | undefined;
  /** Whether to send a JSON Schema. Default true; left out for good when the host refuses it. */
  readonly jsonSchema?: boolean | undefined;
  /** For the whole exchange, body included. Default 60 s. */
  readonly timeoutMs?: number | undefined;
  /** Stands in fingerprints instead of the endpoint, where that changes between runs. */
  readonly host?: string | undefined;
  readonly send: Send;
  readonly clock: Clock;
  /** Called once for each extra that the host turns out not to take; it is left out from then on. */
  readonly onRefused?: ((extra: Extra) => void) | undefined;
}

const DEFAULT_TIMEOUT_MS = 60_000;
const NOTHING: ReadonlySet<Extra> = new Set();

/**
 * A model behind the chat-completions protocol over HTTP. One attempt a call; every failure is a `ModelFailure`.
 *
 * @example
 * ```ts
 * import { chatCompletions, systemClock, viaFetch } from "yoroshi";
 *
 * const model = chatCompletions({
 *   endpoint: "https://models.example.com/v1",
 *   id: "small-model",
 *   key: "…",
 *   send: viaFetch(),
 *   clock: systemClock(),
 *   price: { input: 0.15, output: 0.6 },
 * });
 * model.id; // => "small-model"
 * ```
 */
export function chatCompletions(options: ChatCompletionsOptions): Model {
  const url = `${options.endpoint.replace(/\/+$/, "")}/chat/completions`;
  const headers: Record<string, string> = {
    "content-type": "application/json",
    accept: "application/json",
    ...(options.key ? { authorization: `Bearer ${options.key}` } : {}),
  };
  const redact = redactor(options.key);
  const left = new Set<Extra>(options.jsonSchema === false ? ["jsonSchema"] : []);

  const attempt = async (request: ModelRequest, without: ReadonlySet<Extra>, signal: CancelSignal | undefined): Promise<ModelReply> => {
    const plain = request.logProbabilities && without.has("logProbabilities") ? { ...request, logProbabilities: false } : request;
    const {
      status,
      headers: received,
      text,
    } = await exchange(options, url, headers, requestBody(options.id, plain, !without.has("jsonSchema")), mostBytes(plain), signal);
    return readResponse(status, received, redact(text), options.clock.now());
  };

  return {
    id: options.id,
    host: options.host ?? options.endpoint.replace(/\/+$/, ""),
    price: options.price,
    limits: options.limits,
    context: options.context,
    hearsSignal: true,
    ask: async (request, signal) => {
      for (;;) {
        const without = left.size === 0 ? NOTHING : new Set(left);
        try {
          return await attempt(request, without, signal);
        } catch (error) {
          const refused = refusedExtra(error, request);
          if (!refused || without.has(refused)) throw error;
          // Others may have met the same refusal while this request was under way; one notice is enough.
          if (!left.has(refused)) options.onRefused?.(refused);
          left.add(refused);
        }
      }
    },
  };
}

/** What a request may carry that not every host takes. */
export type Extra = "jsonSchema" | "logProbabilities";

/** A host that cannot take an extra rejects the request and names its field. */
function refusedExtra(error: unknown, request: ModelRequest): Extra | undefined {
  if (!(error instanceof ModelFailure) || error.kind !== "rejected" || (error.status !== 400 && error.status !== 422)) return undefined;
  if (request.logProbabilities && /logprob/i.test(error.message)) return "logProbabilities";
  return request.schema !== undefined && /response_format|json_schema|schema/i.test(error.message) ? "jsonSchema" : undefined;
}

/** One exchange with one time-out over headers and body. Leaves no listener on the caller's signal. */
async function exchange(
  options: ChatCompletionsOptions,
  url: string,
  headers: Record<string, string>,
  body: string,
  most: number,
  signal: CancelSignal | undefined,
): ReturnType<Send> {
  if (signal?.aborted) throw new ModelFailure("cancelled", "cancelled");
  const timeoutMs = options.timeoutMs ?? DEFAULT_TIMEOUT_MS;
  const own = ownSignal(signal);
  let timedOut = false;
  const timer = setTimeout(() => {
    timedOut = true;
    own.abort();
  }, timeoutMs);
  try {
    return await options.send(url, headers, body, own.signal, most);
  } catch (error) {
    if (signal?.aborted) throw new ModelFailure("cancelled", "cancelled", { cause: error });
    if (error instanceof ModelFailure && error.kind === "garbled") throw error;
    if (timedOut) throw new ModelFailure("timeout", `no whole reply within ${timeoutMs / 1000} s (\`timeoutSeconds\`)`, { cause: error });
    const code = (error as { code?: unknown }).code ?? (error as { cause?: { code?: unknown } }).cause?.code;
    throw new ModelFailure("network", `the connection failed${typeof code === "string" ? ` (${code})` : ""}`, { cause: error });
  } finally {
    clearTimeout(timer);
    own.release();
  }
}
