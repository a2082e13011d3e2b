import type { CancelSignal, Clock, Json } from "../ground/index.js";
import { costOf, guessUsage, ModelFailure, type Model, type ModelReply, type ModelRequest, type Usage } from "../model/index.js";
import type { Message, Prepared } from "../template/index.js";
import type { Answer } from "./answer.js";
import { readReply, type ReplyReading } from "./read-reply.js";

export interface AskOptions {
  readonly model: Model;
  readonly clock: Clock;
  readonly signal?: CancelSignal | undefined;
}

/**
 * Asks a model one question: render, request, read, at most one mend. Returns an answer in every case in which the
 * question itself is at fault; failures that would meet every row (a wrong key, a spent budget) are thrown.
 *
 * @throws ModelFailure that is final (`unauthorised`, `quota`, `rejected`, `cancelled`), BudgetSpent.
 */
export async function askPrepared<Inputs, Parts>(
  prepared: Prepared<Inputs, Parts>,
  inputs: Readonly<Record<string, Json>>,
  { model, clock, signal }: AskOptions,
): Promise<Answer<Parts>> {
  const began = clock.now();
  let usage: Usage = { tokensIn: 0, tokensOut: 0 };
  let asks = 0;
  const { use: _, maxTokens: __, ...settings } = prepared.template.model ?? {};
  const send = async (messages: readonly Message[]): Promise<ModelReply> => {
    const request: ModelRequest = { messages, schema: prepared.schema, schemaName: prepared.template.name, maxTokens: prepared.maxTokens, ...settings };
    const reply = await model.ask(request, signal);
    const used = reply.usage ?? guessUsage(request, reply.text);
    usage = { tokensIn: usage.tokensIn + used.tokensIn, tokensOut: usage.tokensOut + used.tokensOut };
    asks++;
    return reply;
  };
  const facts = (raw: string, notes: readonly string[]) => ({ raw, notes, asks, usage, spent: costOf(usage, model.price), tookMs: clock.now() - began });

  const messages = prepared.render(inputs);
  let raw = "";
  try {
    const first = await send(messages);
    raw = first.text;
    const stopped = stoppedEarly(first);
    if (stopped) return { ...stopped, ...facts(raw, []) };
    const reading = readChecked(prepared, raw);
    if (reading.ok) return { state: "answered", parts: reading.parts as Parts, ...facts(raw, reading.notes) };

    const second = await send([...messages, { role: "assistant", content: raw }, { role: "user", content: mendRequest(reading.problems) }]);
    raw = second.text;
    const stoppedAgain = stoppedEarly(second);
    if (stoppedAgain) return { ...stoppedAgain, ...facts(raw, ["mended"]) };
    const mended = readChecked(prepared, raw);
    if (mended.ok) return { state: "answered", parts: mended.parts as Parts, ...facts(raw, ["mended", ...mended.notes]) };
    return { state: "malformed", reason: `the answer did not fit, nor did the second try: ${mended.problems.join("; ")}`, ...facts(raw, ["mended"]) };
  } catch (error) {
    if (error instanceof ModelFailure && error.mayPass) return { state: "failed", reason: error.message, ...facts(raw, []) };
    throw error;
  }
}

/** An answer that fits its kinds but breaks a rule is handled like one that does not fit. */
function readChecked({ parts, brokenRules }: Pick<Prepared, "parts" | "brokenRules">, reply: string): ReplyReading {
  const reading = readReply(parts, reply);
  const broken = reading.ok ? brokenRules(reading.parts) : [];
  return broken.length > 0 ? { ok: false, problems: broken } : reading;
}

function stoppedEarly({ finish, refusal }: ModelReply): { state: "refused" | "filtered" | "cutShort"; reason: string } | undefined {
  if (finish === "refused") return { state: "refused", reason: refusal ? `the model refused: ${refusal.slice(0, 200)}` : "the model refused" };
  if (finish === "filtered") return { state: "filtered", reason: "the host's content filter held the answer back" };
  return finish === "length" ? { state: "cutShort", reason: "the answer was cut short: it needs more than the template's maxTokens" } : undefined;
}

function mendRequest(problems: readonly string[]): string {
  return `That answer cannot be used:\n${problems.map((problem) => `- ${problem}`).join("\n")}\nAnswer again with one JSON object and nothing else, all members included, with these points put right.`;
}
