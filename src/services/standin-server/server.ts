import { once } from "node:events";
import type { Server, ServerResponse } from "node:http";
import { setTimeout as sleep } from "node:timers/promises";
import { serve } from "@hono/node-server";
import { RESPONSE_ALREADY_SENT } from "@hono/node-server/utils/response";
import { Hono, type Context } from "hono";
import * as z from "zod";
import type { ModelReply } from "../../core/index.js";
import { STANDIN_ID, standinReply } from "../../core/standin/index.js";
import { wordSense } from "./sense.js";
import { sight, type Sight } from "./sight.js";
import { faultPicker, spoil, type Fault, type FaultShares } from "./faults.js";

/** How the stand-in is served. */
export interface StandinServerOptions {
  /** Default 0: any free port. */
  readonly port?: number | undefined;
  /** How long a reply takes. Default 0. */
  readonly latencyMs?: number | undefined;
  /** Requests allowed a minute; more get 429. Default: any number. */
  readonly requestsPerMinute?: number | undefined;
  /** Share of requests that go wrong, by fault. */
  readonly faults?: FaultShares | undefined;
  /** Seed of the choice of faults. Default 1. */
  readonly seed?: number | undefined;
  /** When set, only requests with this key are answered. */
  readonly key?: string | undefined;
}

/** The stand-in, served. */
export interface StandinServer {
  /** Address for `endpoint:` in yoroshi.yaml. */
  readonly endpoint: string;
  readonly port: number;
  /** Requests received so far, and how many at once at most. */
  readonly counts: { requests: number; mostAtOnce: number };
  /** What it says of itself with each reply; may be changed. */
  readonly says: { model: string; system: string };
  /** Stops listening. */
  close(): Promise<void>;
}

const STANDIN_SYSTEM = "standin-1";
/** What it says where it is shown a picture and the package that reads characters is not installed. */
const CANNOT_SEE: ModelReply = {
  text: "",
  finish: "refused",
  refusal: "I cannot see pictures: the package tesseract.js, with @tesseract.js-data/eng, is not installed",
};
const MINUTE_MS = 60_000;
const RETRY_AFTER_S = 1;

const part = z.union([
  z.looseObject({ type: z.literal("text"), text: z.string() }),
  z.looseObject({ type: z.literal("image_url"), image_url: z.looseObject({ url: z.string() }) }),
]);

const body = z.looseObject({
  messages: z
    .array(z.looseObject({ role: z.enum(["system", "user", "assistant"]), content: z.union([z.string(), z.array(part).min(1)]) }))
    .min(1),
  max_tokens: z.number().optional(),
  temperature: z.number().optional(),
  seed: z.number().optional(),
  logprobs: z.boolean().optional(),
  response_format: z.looseObject({ json_schema: z.looseObject({ schema: z.record(z.string(), z.unknown()) }).optional() }).optional(),
});

interface Bindings {
  outgoing: ServerResponse;
}

/**
 * Serves the stand-in model over the chat-completions protocol on this machine.
 *
 * @example
 * ```ts
 * import { standinServer } from "yoroshi/node";
 *
 * const server = await standinServer({ latencyMs: 5, faults: { busy: 0.2 }, seed: 1 });
 * server.endpoint.startsWith("http://127.0.0.1:"); // => true
 * await server.close();
 * ```
 */
export async function standinServer(options: StandinServerOptions = {}): Promise<StandinServer> {
  const counts = { requests: 0, mostAtOnce: 0 };
  const says = { model: STANDIN_ID, system: STANDIN_SYSTEM };
  let open = 0;
  const pick = faultPicker(options.faults ?? {}, options.seed ?? 1);
  const starts: number[] = [];
  const eyes = sight();
  const app = new Hono<{ Bindings: Bindings }>();

  app.get("/v1/models", (c) => c.json({ object: "list", data: [{ id: STANDIN_ID, object: "model", owned_by: "yoroshi" }] }));
  app.post("/v1/chat/completions", async (c) => {
    counts.requests++;
    open++;
    counts.mostAtOnce = Math.max(counts.mostAtOnce, open);
    try {
      if (options.key !== undefined && c.req.header("authorization") !== `Bearer ${options.key}`)
        return problem(c, 401, "the key is not known");
      if (tooMany(starts, options.requestsPerMinute)) return problem(c, 429, "too many requests", { "retry-after": String(RETRY_AFTER_S) });
      return await reply(c, { ...options, eyes }, says, pick());
    } finally {
      open--;
    }
  });

  const server = serve({ fetch: app.fetch, port: options.port ?? 0, hostname: "127.0.0.1" }) as Server;
  if (!server.listening) await once(server, "listening");
  const { port } = server.address() as { port: number };
  return {
    endpoint: `http://127.0.0.1:${port}/v1`,
    port,
    counts,
    says,
    close: () =>
      new Promise((resolve) => {
        server.close(() => void eyes.close().finally(resolve));
        server.closeAllConnections();
      }),
  };
}

function tooMany(starts: number[], perMinute: number | undefined): boolean {
  if (perMinute === undefined) return false;
  const now = Date.now();
  while (starts.length > 0 && starts[0]! <= now - MINUTE_MS) starts.shift();
  if (starts.length >= perMinute) return true;
  starts.push(now);
  return false;
}

async function reply(
  c: Context<{ Bindings: Bindings }>,
  options: StandinServerOptions & { readonly eyes: Sight },
  says: StandinServer["says"],
  fault: Fault | undefined,
): Promise<Response> {
  const parsed = body.safeParse(await c.req.json().catch(() => undefined));
  if (!parsed.success) return problem(c, 400, "the request is not a chat completion");
  const schema = parsed.data.response_format?.json_schema?.schema;
  if (options.latencyMs) await sleep(options.latencyMs);
  if (options.faults?.noSchema && schema) return problem(c, 400, "response_format json_schema is not supported by this model");
  if (options.faults?.noLogProbabilities && parsed.data.logprobs) return problem(c, 400, "logprobs is not supported by this model");
  const broken = breakOff(c, fault);
  if (broken) return broken;
  const messages = await options.eyes.read(parsed.data.messages);
  if (!messages) return c.json(completion(CANNOT_SEE, says, false));
  const said = spoil(
    standinReply(
      {
        messages,
        maxTokens: parsed.data.max_tokens ?? 1_000,
        schema: schema as never,
        temperature: parsed.data.temperature,
        seed: parsed.data.seed,
        logProbabilities: parsed.data.logprobs,
      },
      wordSense(),
    ),
    fault,
  );
  return c.json(completion(said, says, fault !== "noUsage"));
}

/** The faults of the host and the line; those of the model's words are in `spoil`. */
function breakOff(c: Context<{ Bindings: Bindings }>, fault: Fault | undefined): Response | undefined {
  const { outgoing } = c.env;
  switch (fault) {
    case "busy":
      return problem(c, 429, "too many requests", { "retry-after": String(RETRY_AFTER_S) });
    case "busyDate":
      return problem(c, 429, "too many requests", { "retry-after": new Date(Date.now() + RETRY_AFTER_S * 1000).toUTCString() });
    case "quota":
      return c.json({ error: { message: "You have used up your quota.", code: "insufficient_quota" } }, 429);
    case "server":
      return problem(c, 500, "internal error");
    case "unauthorised":
      return problem(c, 401, "the key is not known");
    case "rejected":
      return problem(c, 400, "the model does not exist");
    case "html":
      return c.html("<!doctype html><title>Sign in</title><p>Please sign in to the network.</p>");
    case "errorInside":
      return c.json({ error: { message: "upstream overloaded" } });
    case "reset":
      outgoing.destroy();
      return RESPONSE_ALREADY_SENT;
    case "hang":
      return RESPONSE_ALREADY_SENT;
    case "slowBody":
      outgoing.writeHead(200, { "content-type": "application/json" });
      outgoing.write('{"id": "slow", ');
      return RESPONSE_ALREADY_SENT;
    default:
      return undefined;
  }
}

function problem(c: Context, status: 400 | 401 | 429 | 500, message: string, headers: Record<string, string> = {}): Response {
  return c.json({ error: { message, type: "error", code: null } }, status, headers);
}

function completion(said: ModelReply, says: StandinServer["says"], withUsage: boolean): object {
  const { usage } = said;
  return {
    id: `standin-${Math.random().toString(36).slice(2, 12)}`,
    object: "chat.completion",
    created: Math.floor(Date.now() / 1000),
    model: says.model,
    system_fingerprint: says.system,
    choices: [
      {
        index: 0,
        finish_reason: said.finish === "filtered" ? "content_filter" : said.finish === "refused" ? "stop" : said.finish,
        ...(said.tokens
          ? { logprobs: { content: said.tokens.map(({ text, logProbability }) => ({ token: text, logprob: logProbability })) } }
          : {}),
        message: { role: "assistant", content: said.refusal ? null : said.text, refusal: said.refusal ?? null },
      },
    ],
    ...(withUsage && usage
      ? { usage: { prompt_tokens: usage.tokensIn, completion_tokens: usage.tokensOut, total_tokens: usage.tokensIn + usage.tokensOut } }
      : {}),
  };
}
