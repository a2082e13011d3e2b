import { createServer } from "node:http";
import type { AddressInfo } from "node:net";
import { afterEach, describe, expect, it } from "vitest";
import { chatCompletions, viaFetch } from "../../src/adapters/chat-completions/index.js";
import { viaUndici } from "../../src/adapters/chat-completions/send-undici.js";
import { systemClock } from "../../src/adapters/system-clock/index.js";
import { askPrepared, ModelFailure, prepare, retryAfterMs, retrying, template, textMessage, type Model } from "../../src/core/index.js";
import { standinServer, type FaultShares, type StandinServer } from "../../src/services/standin-server/index.js";
import { bare } from "../helpers/models.js";
import { inWords } from "../helpers/words.js";

let open: StandinServer[] = [];
afterEach(async () => {
  await Promise.all(open.map((server) => server.close()));
  open = [];
});
const served = async (faults: FaultShares = {}, options = {}): Promise<StandinServer> => {
  const server = await standinServer({ faults, ...options });
  open.push(server);
  return server;
};
const clock = systemClock();
const modelAt = (endpoint: string, options = {}): Model =>
  chatCompletions({
    endpoint,
    id: "standin-small",
    send: viaUndici(),
    clock,
    timeoutMs: 60_000,
    price: { input: 1, output: 1 },
    ...options,
  });
const request = { messages: [textMessage("user", "Hello there.")], maxTokens: 50 };

const prepared = prepare(
  template({
    name: "sort",
    inputs: { note: { kind: "text" } },
    task: "What is this about? {{ note }}",
    answer: {
      topic: { kind: "choice", options: { fire: "flames and smoke", spill: "oil in the water" } },
      bad: { kind: "score", from: 1, to: 5 },
    },
  }),
);
const askOnce = (model: Model) => askPrepared(prepared, { note: "Smoke in the galley." }, { model: bare(model), clock });

describe.each([
  ["undici", () => viaUndici()],
  ["fetch", () => viaFetch()],
])("chat completions over %s", (_, send) => {
  it("brings text, finish, usage and id", async () => {
    const server = await served({}, { key: "secret" });
    const reply = await modelAt(server.endpoint, { key: "secret", send: send() }).ask(request);
    expect(reply).toMatchObject({ text: "Hello there.", finish: "stop", usage: { tokensOut: 3 } });
    expect(reply.id).toMatch(/^standin-/);
  });

  it.each<[keyof FaultShares, string, string]>([
    ["busy", "busy", "HTTP 429"],
    ["busyDate", "busy", "HTTP 429"],
    ["quota", "quota", "quota"],
    ["server", "server", "HTTP 500"],
    ["unauthorised", "unauthorised", "HTTP 401"],
    ["rejected", "rejected", "the model does not exist"],
    ["reset", "network", "the connection failed"],
    ["hang", "timeout", "no whole reply within 0.4 s"],
    ["slowBody", "timeout", "no whole reply within 0.4 s"],
    ["html", "garbled", "not JSON"],
    ["errorInside", "server", "upstream overloaded"],
  ])("names the fault %s %s", async (fault, kind, message) => {
    const { endpoint } = await served({ [fault]: 1 });
    const failure = await modelAt(endpoint, { send: send(), ...(kind === "timeout" ? { timeoutMs: 400 } : {}) })
      .ask(request)
      .catch((error: unknown) => error);
    expect(failure).toBeInstanceOf(ModelFailure);
    expect(failure).toMatchObject({ kind, message: expect.stringContaining(message) });
    if (fault.toString().startsWith("busy")) expect((failure as ModelFailure).retryAfterMs).toBeLessThanOrEqual(1000);
  });

  it("drops a request that is cancelled, and leaves no listener behind", async () => {
    const { endpoint } = await served({}, { latencyMs: 300 });
    const controller = new AbortController();
    setTimeout(() => controller.abort(), 20);
    await expect(modelAt(endpoint, { send: send() }).ask(request, controller.signal)).rejects.toMatchObject({ kind: "cancelled" });
  });
});

describe("a host", () => {
  it("that takes no JSON Schema is asked without one, once and for the whole run", async () => {
    const server = await served({ noSchema: 1 });
    const notices: string[] = [];
    const model = modelAt(server.endpoint, { onRefused: (extra: string) => notices.push(extra) });
    expect(await askOnce(model)).toMatchObject({ state: "answered", parts: { topic: "fire" } });
    expect(await askOnce(model)).toMatchObject({ state: "answered" });
    expect([server.counts.requests, notices]).toEqual([3, ["jsonSchema"]]);
  });

  it("gives log probabilities, or is asked without them once it refuses", async () => {
    const sure = prepare(template({ ...prepared.template, doubt: { by: "logProbabilities", parts: ["topic"] } } as never));
    const inputs = { note: "Smoke in the galley." };
    const giving = await served();
    const told = await askPrepared(sure, inputs, { model: bare(modelAt(giving.endpoint)), clock });
    expect(told.confidence!.value).toBeGreaterThan(0.5);
    expect(inWords(told.confidence!.value)).toBeLessThan(1);
    const refusing = await served({ noLogProbabilities: 1, noSchema: 1 });
    const notices: string[] = [];
    const model = modelAt(refusing.endpoint, { onRefused: (extra: string) => notices.push(extra) });
    expect(inWords(await askPrepared(sure, inputs, { model: bare(model), clock }))).toMatchObject({
      state: "answered",
      notes: ["the host gave no log probabilities"],
    });
    expect([notices.toSorted(), refusing.counts.requests]).toEqual([["jsonSchema", "logProbabilities"], 3]);
  });

  it("with a wrong key is asked once", async () => {
    const server = await served({}, { key: "right" });
    await expect(askOnce(retrying(clock)(modelAt(server.endpoint, { key: "wrong" })))).rejects.toMatchObject({ kind: "unauthorised" });
    expect(server.counts.requests).toBe(1);
  });

  it("that cannot be reached is a failure of the network", async () => {
    await expect(modelAt("http://127.0.0.1:9").ask(request)).rejects.toMatchObject({
      kind: "network",
      message: "the connection failed (ECONNREFUSED)",
    });
  });

  it("may send JSON under another content type, and a message in pieces", async () => {
    const server = createServer((_, response) => {
      response.setHeader("content-type", "text/plain");
      response.end(
        JSON.stringify({
          choices: [
            {
              message: {
                content: [
                  { type: "text", text: "a" },
                  { type: "text", text: "b" },
                ],
              },
              finish_reason: null,
            },
          ],
        }),
      );
    });
    await new Promise<void>((resolve) => server.listen(0, "127.0.0.1", resolve));
    expect(await modelAt(`http://127.0.0.1:${(server.address() as AddressInfo).port}/v1/`).ask(request)).toEqual({
      text: "ab",
      finish: "unknown",
      refusal: undefined,
      usage: undefined,
      id: undefined,
    });
    server.close();
  });

  it.each<[keyof FaultShares, object]>([
    ["fenced", { state: "answered", notes: ["fenced"] }],
    ["prose", { state: "answered", notes: ["surrounded"] }],
    ["broken", { state: "answered", notes: ["repaired"] }],
    ["shouted", { state: "answered", notes: ["tidied topic"] }],
    ["noUsage", { state: "answered" }],
    ["garbage", { state: "malformed", asks: 2 }],
    ["wrongOption", { state: "malformed", reason: expect.stringContaining('"topic" must be one of: fire, spill') }],
    ["missingPart", { state: "malformed", reason: expect.stringContaining('"bad" is missing') }],
    ["refusal", { state: "refused" }],
    ["filtered", { state: "filtered" }],
    ["cut", { state: "cutShort" }],
  ])("whose model's words are %s ends in a right answer or a right reason", async (fault, expected) => {
    const { endpoint } = await served({ [fault]: 1 });
    const answer = await askOnce(modelAt(endpoint));
    expect(inWords(answer)).toMatchObject(expected);
    if (answer.state === "answered") expect(answer.parts.topic).toBe("fire");
    expect(answer.spent).toBeGreaterThan(0);
  });
});

it("Retry-After is read as seconds, as a date and as milliseconds", () => {
  const now = Date.UTC(2026, 0, 1);
  expect(retryAfterMs({ "retry-after": "7" }, now)).toBe(7000);
  expect(retryAfterMs({ "retry-after": new Date(now + 3000).toUTCString() }, now)).toBe(3000);
  expect(retryAfterMs({ "retry-after": new Date(now - 3000).toUTCString() }, now)).toBe(0);
  expect(retryAfterMs({ "retry-after-ms": "250", "retry-after": "7" }, now)).toBe(250);
  expect(retryAfterMs({ "retry-after": "soon" }, now)).toBeUndefined();
  expect(retryAfterMs({}, now)).toBeUndefined();
});

it("the stand-in's server keeps to its rate and refuses what is no chat completion", async () => {
  const server = await served({}, { requestsPerMinute: 2 });
  const model = modelAt(server.endpoint);
  const results = await Promise.allSettled([1, 2, 3].map(() => model.ask(request)));
  expect(results.filter((result) => result.status === "rejected")).toHaveLength(1);
  expect((await fetch(`${(await served()).endpoint}/chat/completions`, { method: "POST", body: "{}" })).status).toBe(400);
});
