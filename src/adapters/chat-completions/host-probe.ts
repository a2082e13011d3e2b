import { ModelFailure, textMessage, type CancelSignal, type Clock, type ModelReply } from "../../core/index.js";
import { readResponse, requestBody } from "./protocol.js";
import type { Received, Send } from "./send.js";

/** What a host was found to do, by real requests. */
export interface HostAbilities {
  readonly jsonSchema: boolean;
  readonly logProbabilities: boolean;
  readonly images: boolean;
  /** It counts the tokens that it charges. */
  readonly usage: boolean;
  /** What its headers say that it allows a minute. */
  readonly requestsPerMinute?: number | undefined;
  readonly tokensPerMinute?: number | undefined;
  /** The model that it says answered, where that is another name. */
  readonly answeredAs?: string | undefined;
  readonly tookMs: number;
}

export interface HostProbe {
  readonly endpoint: string;
  readonly id: string;
  readonly key?: string | undefined;
  readonly send: Send;
  readonly clock: Clock;
  readonly signal: CancelSignal;
}

const MOST_BYTES = 1024 * 1024;
const TOKENS = 64;
/** A white dot, as a PNG. */
const DOT = "data:image/png;base64,iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAQAAAC1HAwCAAAAC0lEQVR42mP8/x8AAwMCAO+ip1sAAAAASUVORK5CYII=";

const asked = { messages: [textMessage("user", 'Answer with the JSON object {"ok": true} and nothing else.')], maxTokens: TOKENS } as const;
const schema = { type: "object", properties: { ok: { type: "boolean" } }, required: ["ok"], additionalProperties: false };

/**
 * Finds out by four short requests what a host and its model can do. The first must be answered; what another is refused for, the host
 * cannot do.
 *
 * @throws ModelFailure where the first is not answered: wrong key, wrong model, no chat-completions host.
 */
export async function probeHost(probe: HostProbe): Promise<HostAbilities> {
  const { id, clock } = probe;
  const began = clock.now();
  const plain = await exchange(probe, requestBody(id, { ...asked }, false));
  const tookMs = clock.now() - began;
  const first = readResponse(plain.status, plain.headers, plain.text, clock.now());
  const can = async (body: string, holds: (reply: ModelReply) => boolean): Promise<boolean> => {
    try {
      const { status, headers, text } = await exchange(probe, body);
      return holds(readResponse(status, headers, text, clock.now()));
    } catch (error) {
      if (error instanceof ModelFailure && error.kind !== "unauthorised" && error.kind !== "quota") return false;
      throw error;
    }
  };
  const image = JSON.stringify({
    model: id,
    max_tokens: TOKENS,
    messages: [
      {
        role: "user",
        content: [
          { type: "text", text: "What colour is this? One word." },
          { type: "image_url", image_url: { url: DOT } },
        ],
      },
    ],
  });
  return {
    jsonSchema: await can(requestBody(id, { ...asked, schema, schemaName: "probe" }, true), ({ text }) => isOk(text)),
    logProbabilities: await can(requestBody(id, { ...asked, logProbabilities: true }, false), ({ tokens }) => (tokens?.length ?? 0) > 0),
    images: await can(image, ({ text, finish }) => text.trim() !== "" && finish !== "refused"),
    usage: first.usage !== undefined,
    ...limitsIn(plain.headers),
    ...answeredAs(plain.text, id),
    tookMs,
  };
}

function exchange({ endpoint, key, send, signal }: HostProbe, body: string): Promise<Received> {
  const headers = { "content-type": "application/json", ...(key === undefined ? {} : { authorization: `Bearer ${key}` }) };
  return send(`${endpoint.replace(/\/+$/, "")}/chat/completions`, headers, body, signal, MOST_BYTES);
}

function isOk(text: string): boolean {
  try {
    return typeof (JSON.parse(text) as { ok?: unknown } | null)?.ok === "boolean";
  } catch {
    return false;
  }
}

/** Limits as hosts of this protocol state them in headers. */
function limitsIn(headers: Readonly<Record<string, string>>): { requestsPerMinute?: number; tokensPerMinute?: number } {
  const whole = (name: string): number | undefined => {
    const value = Number(headers[name]);
    return Number.isInteger(value) && value > 0 ? value : undefined;
  };
  const [requests, tokens] = [whole("x-ratelimit-limit-requests"), whole("x-ratelimit-limit-tokens")];
  return {
    ...(requests === undefined ? {} : { requestsPerMinute: requests }),
    ...(tokens === undefined ? {} : { tokensPerMinute: tokens }),
  };
}

function answeredAs(text: string, id: string): { answeredAs?: string } {
  const { model } = JSON.parse(text) as { model?: unknown };
  return typeof model === "string" && model !== "" && model !== id ? { answeredAs: model } : {};
}
