import { createOpenAICompatible as createV2 } from "provider-v2";
import { createOpenAICompatible as createV3 } from "provider-v3";
import sharp from "sharp";
import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { chatCompletions } from "../../src/adapters/chat-completions/index.js";
import { viaUndici } from "../../src/adapters/chat-completions/send-undici.js";
import { providerModel, type Provider } from "../../src/adapters/provider-model/index.js";
import { systemClock } from "../../src/adapters/system-clock/index.js";
import { ask, dearestUsage, memoryFiles, rendered, prepare, template, type Model } from "../../src/core/index.js";
import { standinServer, type StandinServer } from "../../src/services/standin-server/index.js";

const gauge = template({
  name: "gauge",
  inputs: { photo: { kind: "image" }, others: { kind: "image", many: true, required: false } },
  task: "Which pressure is shown? {{ photo }} {{ others }}",
  answer: { bar: { kind: "number", about: "The pressure in bar" } },
});
let server: StandinServer;
let data: string;
beforeAll(async () => {
  server = await standinServer();
  const svg = `<svg xmlns="http://www.w3.org/2000/svg" width="700" height="240"><rect width="700" height="240" fill="#fff"/><text x="40" y="150" font-size="80" font-family="DejaVu Sans, Arial">Oil 5.6 bar</text></svg>`;
  data = (await sharp(Buffer.from(svg)).png().toBuffer()).toString("base64");
});
afterAll(() => server.close());

const sourcesOf = () => {
  const picture = { type: "image/png", data, width: 700, height: 240, bytes: data.length, hash: "f".repeat(64) };
  return {
    files: memoryFiles({
      "a.png": { type: "image/png", pictures: [picture] },
      "b.png": { type: "image/png", pictures: [{ ...picture, hash: "e".repeat(64) }] },
    }),
  };
};

describe("a picture reaches the model", () => {
  const clock = systemClock();
  const plain = (): Model => chatCompletions({ endpoint: server.endpoint, id: "standin-small", send: viaUndici(), clock });
  const made = (create: typeof createV2 | typeof createV3): Model =>
    // The packages' own types are wider than what is taken of them.
    providerModel(
      create({ name: "host", baseURL: server.endpoint, apiKey: "k", supportsStructuredOutputs: true })(
        "standin-small",
      ) as unknown as Provider,
      { clock },
    );

  it.each([
    ["the protocol itself", plain],
    ["a provider of version 2", () => made(createV2)],
    ["a provider of version 3", () => made(createV3)],
  ])("by %s", async (_, model) => {
    const answer = await ask(gauge, { photo: "a.png" }, { model: model(), clock, surroundings: { sources: sourcesOf() } });
    expect(answer).toMatchObject({
      state: "answered",
      parts: { bar: 5.6 },
      seen: [{ input: "photo", type: "image/png", pictures: [{ width: 700, height: 240 }] }],
    });
  });

  it("in the form of version 4, whose bytes stand in an object of their own", async () => {
    const seen: unknown[] = [];
    const provider = {
      specificationVersion: "v4",
      provider: "host",
      modelId: "m",
      doGenerate: async (options: { prompt: readonly { content: unknown }[] }) => {
        seen.push(options.prompt.at(-1)!.content);
        return {
          content: [{ type: "text", text: '{"bar": 5.6}' }],
          finishReason: { unified: "stop" },
          usage: { inputTokens: { total: 900 }, outputTokens: { total: 5 } },
        };
      },
    } as unknown as Provider;
    const answer = await ask(
      gauge,
      { photo: "a.png", others: ["a.png", "b.png"] },
      { model: providerModel(provider, { clock }), clock, surroundings: { sources: sourcesOf() } },
    );
    expect(answer).toMatchObject({ state: "answered", parts: { bar: 5.6 } });
    expect(seen[0]).toEqual([
      { type: "text", text: expect.stringContaining("(a picture, shown below)") },
      { type: "text", text: "photo:" },
      { type: "file", mediaType: "image/png", data: { type: "data", data } },
      { type: "text", text: "others 1 of 2:" },
      { type: "file", mediaType: "image/png", data: { type: "data", data } },
      { type: "text", text: "others 2 of 2:" },
      { type: "file", mediaType: "image/png", data: { type: "data", data } },
    ]);
  });

  it("counts for what the model counts, never for its bytes", async () => {
    const prepared = prepare(gauge, {}, { sources: sourcesOf() });
    const files = sourcesOf().files;
    const handle = await files.find("a.png", { kind: "image" }, { mayFetch: false });
    const usage = async (pictures?: Model["pictures"]): Promise<number> => {
      const one = await rendered(prepared as never, { photo: handle as never, others: null }, { pictures });
      if ("reason" in one) throw new Error("unread");
      return dearestUsage({ messages: one.messages, maxTokens: 10 }).tokensIn;
    };
    // Two tiles of 512 points: 700 x 240.
    expect((await usage({ base: 85, tile: 512, perTile: 170 })) - (await usage({ base: 0, tile: 512, perTile: 0 }))).toBe(85 + 2 * 170);
    expect(await usage()).toBeLessThan(data.length);
  });

  it("is asked about again where the picture changes, and is known where it is the same", async () => {
    const files = sourcesOf().files;
    const [a, b] = await Promise.all(["a.png", "b.png"].map((name) => files.find(name, { kind: "image" }, { mayFetch: false })));
    expect(a).not.toEqual(b);
    expect(await files.find("a.png", { kind: "image" }, { mayFetch: false })).toEqual(a);
    expect(await ask(gauge, { photo: "none.png" }, { model: plain(), clock, surroundings: { sources: { files } } })).toMatchObject({
      state: "declined",
      reason: { code: "inputUnfit", problem: "names a file that is not there" },
    });
    expect(await ask(gauge, { photo: "a.png" }, { model: plain(), clock })).toMatchObject({
      state: "declined",
      reason: { problem: "names something that cannot be read here" },
    });
  });
});
