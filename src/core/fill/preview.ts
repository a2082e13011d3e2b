import type { Micros } from "../ground/index.js";
import { costOf, dearestUsage, type Usage } from "../model/index.js";
import { DEFAULT_DOUBT, type NamedShape, type Prepared } from "../template/index.js";
import { newTally, countState, type Tally } from "./tally.js";
import { workOf, type FillOptions, type FillSetup } from "./setup.js";
import { walk } from "./walk.js";

/** What a fill would do and cost. Nothing is asked and nothing is changed. */
export interface Preview extends Tally {
  /** Estimated tokens and cost of the requests; the dearest that they could cost. */
  readonly estimate: Usage & { readonly cost: Micros };
  readonly dearest: Micros;
  /** Prompts that were counted with the tokenizer; beyond these the mean is taken. */
  readonly counted: number;
}

const MOST_COUNTED = 400;
const MOST_REMEMBERED = 1_000_000;

export type CountTokens = (text: string) => number;

/**
 * Goes through the table as a fill would and counts what it would ask. The first prompts are rendered and counted
 * with the tokenizer; an answer is estimated from its kinds.
 */
export async function preview(setup: FillSetup, options: FillOptions, countTokens: CountTokens): Promise<Preview> {
  const work = workOf(setup, options);
  const tally = newTally();
  const mostRows = options.rows ?? work.plan.limits.rows ?? Infinity;
  const asked = new Set<string>();
  const perAnswer = answerTokens(work.prepared, countTokens);
  let counted = 0;
  let tokensIn = 0;
  let dearest = 0;
  for await (const { considered } of walk(work)) {
    const open = considered.flatMap(({ row, decision }) => (decision.do === "answer" ? [{ row, ...decision }] : []));
    const known = await work.ledger.answers(open.map((question) => question.fingerprint));
    for (const { decision } of considered) {
      if (decision.do === "give") tally.ruled++;
      if (decision.do !== "answer") countState(tally, decision.do === "give" ? "filled" : decision.state);
    }
    tally.reused += considered.filter(({ decision }) => decision.do === "leave" && decision.state === "filled").length;
    for (const [index, question] of open.entries()) {
      if ((known[index] && !question.fresh) || asked.has(question.fingerprint)) {
        const state = known[index] && known[index].answer.state !== "answered" && !question.fresh ? "failed" : "filled";
        countState(tally, state);
        tally.reused++;
        continue;
      }
      if (tally.asked >= mostRows) {
        countState(tally, "blank");
        continue;
      }
      tally.asked++;
      countState(tally, "filled");
      if (asked.size < MOST_REMEMBERED) asked.add(question.fingerprint);
      if (counted < MOST_COUNTED) {
        const messages = work.prepared.render(question.inputs);
        tokensIn += messages.reduce((sum, message) => sum + countTokens(message.content) + 4, 3);
        dearest += costOf(dearestUsage({ messages, schema: work.prepared.schema, maxTokens: work.prepared.maxTokens }), work.model.price);
        counted++;
      }
    }
  }
  const scale = counted === 0 ? 0 : tally.asked / counted;
  const { usual, most } = requestsPerRow(work.prepared);
  const usage = { tokensIn: Math.round(tokensIn * scale * usual), tokensOut: Math.round(tally.asked * perAnswer * usual) };
  return { ...tally, counted, estimate: { ...usage, cost: costOf(usage, work.model.price) }, dearest: Math.ceil(dearest * scale * most) };
}

/** How many requests a row's question makes: usually, and with every mend and further ask. */
export function requestsPerRow({ template: { doubt, secondLook } }: Prepared): { readonly usual: number; readonly most: number } {
  const asks = doubt?.by === "agreement" ? (doubt.asks ?? DEFAULT_DOUBT.asks) : 1;
  const looks = secondLook ? 1 : 0;
  const dearer = doubt?.ask === undefined ? 0 : 1;
  return { usual: asks + looks, most: 2 * (asks + dearer) + looks };
}

/** Tokens of a usual answer: its member names and, for each part, what its kind usually takes. */
export function answerTokens(prepared: Prepared, countTokens: CountTokens): number {
  return prepared.parts.reduce((sum, part) => sum + countTokens(`"${part.name}": `) + valueTokens(part, countTokens), 4);
}

function valueTokens({ spec, kind, name }: NamedShape, countTokens: CountTokens): number {
  const { maxChars, atMost, exactly } = spec as { maxChars?: number; atMost?: number; exactly?: number };
  if (kind.kind === "list") return 16 * (exactly ?? atMost ?? 4);
  if (kind.kind === "text") return Math.min(80, Math.ceil((maxChars ?? 300) / 6));
  return countTokens(name) + 2;
}
