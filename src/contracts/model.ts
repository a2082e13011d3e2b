import { textMessage, type Model, type ModelReply, type ModelRequest } from "../core/index.js";
import { expectRejection, expectSame, expectThat, type ContractCase } from "./check.js";

const REQUEST: ModelRequest = {
  messages: [textMessage("system", "You answer in one word."), textMessage("user", "Answer with one word: ready")],
  maxTokens: 40,
};
const FINISHES: readonly string[] = ["stop", "length", "filtered", "refused", "unknown"];

const isCount = (value: number): boolean => Number.isSafeInteger(value) && value >= 0;

function checkReply({ text, finish, usage, tokens }: ModelReply): void {
  expectThat("a reply has a text", typeof text === "string");
  expectThat(`a reply ends in one of ${FINISHES.join(", ")}`, FINISHES.includes(finish));
  if (usage) expectThat("tokens are whole numbers", isCount(usage.tokensIn) && isCount(usage.tokensOut));
  for (const token of tokens ?? []) expectThat("log probabilities are numbers up to 0", token.logProbability <= 0);
}

const CASES: Readonly<Record<string, (model: Model) => Promise<void>>> = {
  async "names itself and its host, and has no negative price"(model) {
    expectThat("a model has an id", model.id.trim() !== "");
    expectThat("a model has a host", model.host.trim() !== "");
    const { input = 0, output = 0 } = model.price ?? {};
    expectThat("a price is a number from 0 up", input >= 0 && output >= 0);
  },

  async "answers with text, how it ended, and whole numbers of tokens"(model) {
    checkReply(await model.ask(REQUEST));
    checkReply(await model.ask({ ...REQUEST, temperature: 0.5, seed: 3, logProbabilities: true }));
  },

  async "takes a schema, or passes over it, and leaves the request as it was"(model) {
    const schema = { type: "object", properties: { word: { type: "string" } }, required: ["word"], additionalProperties: false };
    const request: ModelRequest = { ...REQUEST, schema, schemaName: "word" };
    const before = structuredClone(request);
    checkReply(await model.ask(request));
    expectSame("the request", request, before);
  },

  async "answers several at once"(model) {
    for (const reply of await Promise.all(Array.from({ length: 5 }, () => model.ask(REQUEST)))) checkReply(reply);
  },

  async "ends at once when its signal is aborted, where it says that it hears it"(model) {
    if (model.hearsSignal !== true) return;
    await expectRejection("a request that was cancelled before", () => model.ask(REQUEST, AbortSignal.abort()));
  },
};

/**
 * What every model must do, as cases for any test runner. They ask it a dozen short questions.
 *
 * @param open gives the model.
 * @example
 * ```ts
 * import { modelContract } from "yoroshi/contracts";
 * import { standin } from "yoroshi/standin";
 *
 * for (const { name, run } of modelContract(() => standin())) {
 *   await run().catch((error) => console.error(name, error));
 * }
 * ```
 */
export function modelContract(open: () => Model | Promise<Model>): ContractCase[] {
  return Object.entries(CASES).map(([name, check]) => ({ name, run: async () => check(await open()) }));
}
