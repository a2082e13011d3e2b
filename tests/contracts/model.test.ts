import { afterAll, beforeAll, describe, expect, it } from "vitest";
import { chatCompletions } from "../../src/adapters/chat-completions/index.js";
import { viaUndici } from "../../src/adapters/chat-completions/send-undici.js";
import { systemClock } from "../../src/adapters/system-clock/index.js";
import { modelContract } from "../../src/contracts/index.js";
import type { Model } from "../../src/core/index.js";
import { standin } from "../../src/core/standin/index.js";
import { standinServer, type StandinServer } from "../../src/services/standin-server/index.js";

let server: StandinServer;
beforeAll(async () => {
  server = await standinServer({});
});
afterAll(() => server.close());

describe.each<[string, () => Model]>([
  ["stand-in", () => standin()],
  [
    "over HTTP",
    () => chatCompletions({ endpoint: server.endpoint, id: "standin-small", key: "none", send: viaUndici(), clock: systemClock() }),
  ],
])("model contract: %s", (_, make) => {
  it.each(modelContract(make).map(({ name, run }) => [name, run] as const))("%s", (_name, run) => run());
});

it("a model that breaks its contract is told so", async () => {
  const told = await Promise.allSettled(
    modelContract(() => ({
      ...standin(),
      id: " ",
      ask: async () => ({ text: "x", finish: "done" as never, usage: { tokensIn: 0.5, tokensOut: 1 } }),
    })).map(({ run }) => run()),
  );
  expect(told.slice(0, 2)).toMatchObject([
    { reason: { message: "a model has an id." } },
    { reason: { message: expect.stringContaining("a reply ends in one of") } },
  ]);
});
