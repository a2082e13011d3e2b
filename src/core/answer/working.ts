import type { Json, Remark } from "../ground/index.js";
import { fingerprinter, type Prepared } from "../template/index.js";
import type { Answer } from "./answer.js";
import { askPrepared, type AskOptions } from "./ask.js";
import type { Recall } from "./recall.js";

/** What code makes of what a model read: the answer's parts are the code's, and the model's reading is a question of its own. */
export interface Working {
  /** What the model is asked first. */
  readonly reading: Prepared;
  /** Its inputs, from those of the question. */
  inputs(inputs: Readonly<Record<string, Json>>): Readonly<Record<string, Json>>;
  /** Stands for what the code rests on besides: when it changes, the code works again, and the reading is not asked again. */
  readonly basis: string;
  /** The answer's parts; or why there are none. */
  work(parts: Readonly<Record<string, Json>>, inputs: Readonly<Record<string, Json>>, ask: AskFurther): Promise<Worked>;
}

export type Worked = { readonly parts: Readonly<Record<string, Json>> } | { readonly declined: Remark };

/** Asks something further, unless its answer is known; gives its parts. */
export type AskFurther = (
  prepared: Prepared,
  inputs: Readonly<Record<string, Json>>,
) => Promise<Readonly<Record<string, Json>> | { readonly declined: Remark }>;

const FREE = { asks: 0, usage: { tokensIn: 0, tokensOut: 0 }, spent: 0, tookMs: 0 } as const;

/**
 * Asks for the reading, and has the code work on it. What is known is not asked again.
 */
export async function askWorking(working: Working, inputs: Readonly<Record<string, Json>>, asked: AskOptions): Promise<Answer> {
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
