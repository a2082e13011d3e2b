import type { Json } from "../ground/index.js";
import { fingerprinter, type Prepared } from "../template/index.js";
import type { Answer } from "./answer.js";
import type { AskOptions, Working } from "./ask-options.js";
import type { Recall } from "./recall.js";

const FREE = { asks: 0, usage: { tokensIn: 0, tokensOut: 0 }, spent: 0, tookMs: 0 } as const;

/**
 * Asks for the reading, and has the code work on it. What is known is not asked again.
 *
 * @param askPrepared how the reading, and what else the code wants, is asked.
 */
export async function askWorking(
  working: Working,
  inputs: Readonly<Record<string, Json>>,
  asked: AskOptions,
  askPrepared: (prepared: Prepared, inputs: Readonly<Record<string, Json>>, options: AskOptions) => Promise<Answer>,
): Promise<Answer> {
  const { fresh, recall } = asked;
  const options = { ...asked, working: undefined };
  const sums = { asks: 0, usage: { tokensIn: 0, tokensOut: 0 }, spent: 0, tookMs: 0 };
  const ask = async (prepared: Prepared, given: Readonly<Record<string, Json>>, knows: Recall | undefined): Promise<Answer> => {
    const fingerprint = fingerprinter(prepared, options.model, undefined, options.others)(given);
    const known = await knows?.known(fingerprint);
    if (known?.state === "answered") return known;
    const answer = await askPrepared(prepared, given, options);
    sums.asks += answer.asks;
    sums.usage.tokensIn += answer.usage.tokensIn;
    sums.usage.tokensOut += answer.usage.tokensOut;
    sums.spent += answer.spent;
    sums.tookMs += answer.tookMs;
    // Its cost is booked with the question that it was asked for.
    if (answer.state === "answered") await recall?.keep(fingerprint, prepared.template.name, { ...answer, ...FREE });
    return answer;
  };
  const reading = await ask(working.reading, working.inputs(inputs), fresh || options.again ? undefined : recall);
  if (reading.state !== "answered") return reading;
  let further: Answer | undefined;
  const worked = await working.work(reading.parts, inputs, async (prepared, given) => {
    const answer = await ask(prepared, given, recall);
    if (answer.state === "answered") return answer.parts;
    further = answer;
    return { declined: answer.reason };
  });
  const { raw, notes, form } = reading;
  const facts = { raw, notes, ...(form === undefined ? {} : { form }), ...sums };
  if ("parts" in worked) return { ...facts, state: "answered", parts: { ...worked.parts } };
  return further && further.state !== "answered"
    ? { ...facts, state: further.state, reason: further.reason }
    : { ...facts, state: "declined", reason: worked.declined };
}
