import { createOpenAICompatible as createV2 } from "provider-v2";
import { createOpenAICompatible as createV3 } from "provider-v3";
import { afterEach, describe, expect, it } from "vitest";
import { systemClock } from "../../src/adapters/system-clock/index.js";
import { providerModel, type Provider } from "../../src/adapters/provider-model/index.js";
import { ask, layered, template, textMessage, type ModelFailure } from "../../src/core/index.js";
import { standinServer, type FaultShares, type StandinServer } from "../../src/services/standin-server/index.js";
import { fakeClock } from "../helpers/clock.js";
import { inWords } from "../helpers/words.js";

const open: StandinServer[] = [];
afterEach(async () => {
  for (const server of open.splice(0)) await server.close();
});
async function served(faults: FaultShares = {}, more = {}): Promise<StandinServer> {
  const server = await standinServer({ faults, ...more });
  open.push(server);
  return server;
}

const clock = systemClock();
const sort = template({
  name: "sort",
  inputs: { note: { kind: "text" } },
  task: "What is this about? {{ note }}",
  answer: {
    topic: { kind: "choice", options: { fire: "flames and smoke", spill: "oil in the water" } },
    bad: { kind: "score", from: 1, to: 5 },
  },
});
const request = { messages: [textMessage("user", "hello")], maxTokens: 20 };

/** Of the newest version there is no package that runs on Node 20: its shape, with what an older one brings. */
function asV4(provider: Provider): Provider {
  const doGenerate = async (options: never): Promise<unknown> => provider.doGenerate(options);
  return { specificationVersion: "v4", provider: provider.provider, modelId: provider.modelId, doGenerate };
}

const MAKERS: readonly [string, (baseURL: string, apiKey?: string) => Provider][] = [
  [
    "v2",
    (baseURL, apiKey = "k") =>
      createV2({ name: "host", baseURL, apiKey, supportsStructuredOutputs: true })("standin-small") as unknown as Provider,
  ],
  [
    "v3",
    (baseURL, apiKey = "k") =>
      createV3({ name: "host", baseURL, apiKey, supportsStructuredOutputs: true })("standin-small") as unknown as Provider,
  ],
  [
    "v4",
    (baseURL, apiKey = "k") =>
      asV4(createV3({ name: "host", baseURL, apiKey, supportsStructuredOutputs: true })("standin-small") as unknown as Provider),
  ],
];

describe.each(MAKERS)("a provider's model of version %s", (version, make) => {
  it("answers a template, with what it used", async () => {
    const server = await served();
    const provider = make(server.endpoint);
    expect(provider.specificationVersion).toBe(version);
    const answer = await ask(
      sort,
      { note: "Smoke in the galley." },
      { model: providerModel(provider, { clock, price: { input: 1, output: 1 } }), clock },
    );
    expect(answer).toMatchObject({ state: "answered", parts: { topic: "fire" }, asks: 1 });
    expect(answer.usage.tokensIn).toBeGreaterThan(50);
    expect(answer.spent).toBe(answer.usage.tokensIn + answer.usage.tokensOut);
  });

  it.each<[keyof FaultShares, object]>([
    ["refusal", { state: "refused", reason: expect.stringContaining("the model refused") }],
    ["filtered", { state: "filtered" }],
    ["cut", { state: "cutShort" }],
  ])("tells a reply that is %s", async (fault, expected) => {
    const server = await served({ [fault]: 1 });
    expect(
      inWords(await ask(sort, { note: "Smoke in the galley." }, { model: providerModel(make(server.endpoint), { clock }), clock })),
    ).toMatchObject(expected);
  });

  it.each<[keyof FaultShares, string]>([
    ["busy", "busy"],
    ["server", "server"],
    ["html", "garbled"],
    ["rejected", "rejected"],
  ])("tells a host that is %s, after one attempt", async (fault, kind) => {
    const server = await served({ [fault]: 1 });
    const failure = (await providerModel(make(server.endpoint), { clock })
      .ask(request)
      .catch((error: unknown) => error)) as ModelFailure;
    expect([failure.name, failure.kind, server.counts.requests]).toEqual(["ModelFailure", kind, 1]);
    if (kind === "busy") expect(failure.retryAfterMs).toBe(1_000);
  });

  it("tells a wrong key and a host that is not there, and is left when the caller cancels", async () => {
    const server = await served({}, { key: "right", latencyMs: 3_000 });
    await expect(providerModel(make(server.endpoint, "wrong"), { clock }).ask(request)).rejects.toMatchObject({ kind: "unauthorised" });
    await expect(providerModel(make("http://127.0.0.1:9/v1"), { clock }).ask(request)).rejects.toMatchObject({ kind: "network" });
    const gone = new AbortController();
    setTimeout(() => gone.abort(), 50);
    await expect(providerModel(make(server.endpoint, "right"), { clock }).ask(request, gone.signal)).rejects.toMatchObject({
      kind: "cancelled",
    });
  });
});

it("reads finish reasons and counts of tokens in both forms, and text beside other content", async () => {
  const made = (more: object): Provider => ({
    specificationVersion: "v4",
    provider: "p",
    modelId: "m",
    doGenerate: async () => ({
      content: [
        { type: "reasoning", text: "hm" },
        { type: "text", text: "a" },
        { type: "text", text: "b" },
      ],
      ...more,
    }),
  });
  const reply = (more: object) => providerModel(made(more), { clock }).ask(request);
  expect(
    await reply({
      finishReason: { unified: "length", raw: "max_tokens" },
      usage: { inputTokens: { total: 7, cacheRead: 2 }, outputTokens: { total: 3 } },
    }),
  ).toMatchObject({ text: "ab", finish: "length", usage: { tokensIn: 7, tokensOut: 3 } });
  expect(await reply({ finishReason: "content-filter", usage: { inputTokens: 7, outputTokens: undefined } })).toMatchObject({
    finish: "filtered",
    usage: undefined,
  });
  expect(
    await reply({ finishReason: "stop", response: { id: "r1", body: { choices: [{ message: { refusal: "I will not" } }] } } }),
  ).toMatchObject({ finish: "refused", refusal: "I will not", id: "r1" });
});

it("refuses what is no provider's model, and versions that are not known", () => {
  expect(() => providerModel({} as Provider, { clock })).toThrow("this object does not");
  expect(() => providerModel({ specificationVersion: "v9", provider: "p", modelId: "m", doGenerate: async () => ({}) }, { clock })).toThrow(
    "is of the version v9; known are v2, v3, v4",
  );
});

it("a plain error of a provider's own code is one failed attempt, tried again in one place", async () => {
  let asked = 0;
  const broken: Provider = {
    specificationVersion: "v3",
    provider: "p",
    modelId: "m",
    doGenerate: async () => {
      asked++;
      throw new TypeError("x is not a function");
    },
  };
  const time = fakeClock();
  await expect(layered(providerModel(broken, { clock: time }), time).ask(request)).rejects.toMatchObject({
    kind: "broken",
    message: "the model failed: x is not a function",
  });
  expect(asked).toBe(6);
});
