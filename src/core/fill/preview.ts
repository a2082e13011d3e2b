import { UNFETCHED, type AskWork, type FillOptions, type FillSetup, type StepWork, type Work } from "../cells/index.js";
import { requestOf } from "../asking/index.js";
import { rendered } from "../answer/index.js";
import { messageText, type Json, type Message, type Micros } from "../ground/index.js";
import { costOf, dearestUsage, imageTokens, type Usage } from "../model/index.js";
import { DEFAULT_DOUBT, hasSources, type NamedShape, type Prepared } from "../template/index.js";
import { chosenWork } from "./draw.js";
import { NeedsCounted, type Needs } from "./needs.js";
import { Run, type RowQuestion } from "./run.js";
import type { StepTallies } from "./settled.js";
import { countState, sumTallies, type Tally } from "./tally.js";

/** What a fill would do and cost. Nothing is asked and nothing is changed. */
export interface Preview extends Tally {
  readonly steps: StepTallies;
  /** Estimated tokens and cost of the requests; the dearest that they could cost. */
  readonly estimate: Usage & { readonly cost: Micros };
  readonly dearest: Micros;
  /** Prompts that were counted with the tokenizer; beyond these the mean is taken. */
  readonly counted: number;
  /**
   * Rows of a step that takes what another one is yet to give: whether they will be asked is not known, so they are
   * counted as asked, each like the mean of the step's others, or of what its template says without them.
   */
  readonly unknown: number;
  /** What would be read, fetched and searched for it. */
  readonly needs: Needs;
}

const MOST_COUNTED = 400;
const MOST_REMEMBERED = 1_000_000;

export type CountTokens = (text: string) => number;

/** What a step's requests would take, from the first of them. */
interface Estimate {
  counted: number;
  tokensIn: number;
  dearest: Micros;
  readonly perAnswer: number;
  /** Prompts of which what their rows name was opened. */
  opened?: number;
  /** Tokens of a prompt that rows in one request have in common. */
  sharedTokens?: number;
}

/**
 * Goes through the table as a fill does, with hands that ask nothing. The first prompts are rendered and counted
 * with the tokenizer; an answer is estimated from its kinds.
 *
 * @example
 * ```ts
 * import { preview } from "yoroshi";
 *
 * // `setup` as in the example of `fill`; tokens are counted roughly here.
 * const { asked, estimate } = await preview(setup, {}, (text) => Math.ceil(text.length / 4));
 * asked; // => 1
 * console.log(estimate.cost); // millionths
 * ```
 */
export async function preview(setup: FillSetup, options: FillOptions, countTokens: CountTokens): Promise<Preview> {
  const work = await chosenWork(setup, { ...options, takesUnfetched: true });
  const run = new Run(work, "preview", options.rows ?? work.plan.limits.rows ?? Infinity);
  const estimates = new Map<StepWork, Estimate>();
  for (const one of work.steps)
    if (one.does.kind === "ask")
      estimates.set(one, { counted: 0, tokensIn: 0, dearest: 0, perAnswer: answerTokens(requestOf(one.does, {}).prepared, countTokens) });
  const asked = new Set<string>();
  const needs = new NeedsCounted();
  let unknown = 0;

  const opened = new WeakMap<RowQuestion, readonly Message[]>();
  const estimate = (question: RowQuestion): void => {
    const { one, passed, fingerprint, inputs } = question;
    const isKnown = fingerprint !== UNFETCHED && asked.has(fingerprint);
    if (!isKnown && !run.mayStart(passed)) return run.abandon(question);
    const tally = run.tallies[one.name]!;
    countState(tally, "filled");
    if (isKnown) tally.reused++;
    else {
      tally.asked++;
      if (asked.size < MOST_REMEMBERED) asked.add(fingerprint);
      countPrompt(one, inputs, estimates.get(one)!, countTokens, opened.get(question));
      needs.inputs((one.does as AskWork).prepared, inputs);
      needs.wants(question.wants ?? []);
    }
    for (const later of run.passOver(question)) {
      const isRoom = run.mayStart(passed);
      countState(run.tallies[later.name]!, isRoom ? "filled" : "blank");
      if (later.does.kind !== "ask" || !isRoom) continue;
      run.tallies[later.name]!.asked++;
      unknown++;
    }
  };

  await run.go({
    ask: async (questions) => {
      const known = await work.ledger.answers.find(questions.map(({ fingerprint }) => fingerprint));
      // All questions of a call are of one step.
      const ofReading = questions[0]?.asking.readingFingerprint;
      const read = ofReading ? await work.ledger.answers.find(questions.map(({ inputs }) => ofReading(inputs))) : [];
      await openSome(questions, estimates, opened);
      return questions.flatMap((question, index) => {
        // Of what code works on, the reading alone is asked for.
        const answer = question.fresh ? undefined : (known[index] ?? read[index])?.answer;
        if (!answer) estimate(question);
        return answer ? [{ question, answer, came: "reused" as const }] : [];
      });
    },
    record: async () => undefined,
    goOn: async () => false,
    isOver: () => false,
  });
  return {
    ...sumTallies(Object.values(run.tallies)),
    steps: run.tallies,
    unknown,
    needs: needs.all,
    ...estimated(work, run.tallies, estimates, countTokens),
  };
}

/** Prompts of which what their rows name is opened; the others are like these. */
const MOST_OPENED = 20;

/** Makes the first prompts of steps whose rows name pictures or documents, with all that these hold. */
async function openSome(
  questions: readonly RowQuestion[],
  estimates: ReadonlyMap<StepWork, Estimate>,
  opened: WeakMap<RowQuestion, readonly Message[]>,
): Promise<void> {
  for (const question of questions) {
    const does = question.one.does as AskWork;
    const own = estimates.get(question.one)!;
    if (!hasSources(does.prepared) || question.wants || own.counted >= MOST_OPENED || (own.opened ?? 0) >= MOST_OPENED) continue;
    const made = await rendered(does.prepared, question.inputs, does.model);
    if ("reason" in made) continue;
    own.opened = (own.opened ?? 0) + 1;
    opened.set(question, made.messages);
  }
}

function countPrompt(
  { does, rowsPerRequest }: StepWork,
  inputs: Readonly<Record<string, Json>>,
  estimate: Estimate,
  countTokens: CountTokens,
  made?: readonly Message[],
): void {
  if (estimate.counted >= MOST_COUNTED) return;
  const { model } = does as AskWork;
  const { prepared, inputs: given } = requestOf(does as AskWork, inputs);
  // What was opened of some stands for the others.
  if (!made && hasSources(prepared) && (estimate.opened ?? 0) > 0) return;
  const messages = made ?? prepared.render(given);
  const tokens = messages.reduce((sum, message) => sum + countTokens(messageText(message)) + 4, 3 + imageTokens(messages));
  // Rows that share a request share all but their own data.
  if (rowsPerRequest > 1)
    estimate.sharedTokens ??= [...messages.slice(0, -1).map(messageText), prepared.pieces.answer, prepared.pieces.shared ?? ""].reduce(
      (sum, text) => sum + countTokens(text),
      0,
    );
  estimate.tokensIn += tokens - (estimate.sharedTokens ?? 0) * (1 - 1 / rowsPerRequest);
  estimate.dearest += costOf(dearestUsage({ messages, schema: prepared.schema, maxTokens: prepared.maxTokens }), model.price);
  estimate.counted++;
}

function estimated(
  { steps }: Work,
  tallies: StepTallies,
  estimates: ReadonlyMap<StepWork, Estimate>,
  countTokens: CountTokens,
): Pick<Preview, "estimate" | "dearest" | "counted"> {
  const sum = { tokensIn: 0, tokensOut: 0, cost: 0, dearest: 0, counted: 0 };
  for (const one of steps) {
    const found = estimates.get(one);
    const { asked } = tallies[one.name] ?? { asked: 0 };
    if (!found || asked === 0) continue;
    const { prepared, model } = one.does as AskWork;
    // Where no row's own prompt could be made, the prompt without any input stands for them.
    if (found.counted === 0) countPrompt(one, {}, found, countTokens);
    const scale = asked / found.counted;
    const { usual, most: alone } = requestsPerRow(prepared);
    // A request for several rows may be of no use; then each is asked alone.
    const most = alone + (one.rowsPerRequest > 1 ? 1 : 0);
    const usage = { tokensIn: Math.round(found.tokensIn * scale * usual), tokensOut: Math.round(asked * found.perAnswer * usual) };
    sum.tokensIn += usage.tokensIn;
    sum.tokensOut += usage.tokensOut;
    sum.cost += costOf(usage, model.price);
    sum.dearest += Math.ceil(found.dearest * scale * most);
    sum.counted += found.counted;
  }
  const { dearest, counted, ...estimate } = sum;
  return { estimate, dearest, counted };
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

const valueTokens = ({ spec, kind, name }: NamedShape, countTokens: CountTokens): number =>
  kind.usualTokens?.(spec) ?? countTokens(name) + 2;
