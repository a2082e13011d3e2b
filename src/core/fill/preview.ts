import { answeredCells, givenCells, setCells, hand, type Passing, type AskWork, type FillOptions, type FillSetup, type StepWork, type Work, consider, walk } from "../cells/index.js";
import type { Micros } from "../ground/index.js";
import { costOf, dearestUsage, type Usage } from "../model/index.js";
import { DEFAULT_DOUBT, type NamedShape, type Prepared } from "../template/index.js";
import { chosenWork } from "./draw.js";
import type { StepTallies } from "./settled.js";
import { countState, newTally, sumTallies, type Tally } from "./tally.js";

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
  /** Tokens of a prompt that rows in one request have in common. */
  sharedTokens?: number;
}

/**
 * Goes through the table as a fill would and counts what it would ask. The first prompts are rendered and counted
 * with the tokenizer; an answer is estimated from its kinds.
 */
export async function preview(setup: FillSetup, options: FillOptions, countTokens: CountTokens): Promise<Preview> {
  const work = await chosenWork(setup, options);
  const tallies: Record<string, Tally> = Object.fromEntries(work.steps.map(({ name }) => [name, newTally()]));
  const estimates = new Map<StepWork, Estimate>();
  for (const one of work.steps) if (one.does.kind === "ask") estimates.set(one, { counted: 0, tokensIn: 0, dearest: 0, perAnswer: answerTokens(one.does.prepared, countTokens) });
  const asked = new Set<string>();
  const mostRows = options.rows ?? work.plan.limits.rows ?? Infinity;
  const started = new Set<Passing>();
  let rowsAsked = 0;
  let unknown = 0;
  for await (const { rows } of walk(work)) {
    /** Rows for which a step is yet to give its columns. */
    const pending = new Map<string, Set<Passing>>();
    started.clear();
    for (const one of work.steps) {
      const tally = tallies[one.name]!;
      const waits = new Set<Passing>();
      pending.set(one.name, waits);
      const isOpen = (passed: Passing): boolean => one.needs.some((need) => pending.get(need)!.has(passed));
      const mayAsk = (passed: Passing): boolean => {
        if (!started.has(passed) && rowsAsked >= mostRows) return false;
        if (!started.has(passed)) rowsAsked++;
        started.add(passed);
        return true;
      };
      for (const passed of rows.filter(isOpen)) {
        waits.add(passed);
        countState(tally, mayAsk(passed) ? "filled" : "blank");
        if (one.does.kind === "ask") {
          tally.asked++;
          unknown++;
        }
      }
      const considered = await consider(work, one, rows.filter((passed) => !isOpen(passed)));
      const open = considered.flatMap(({ passed, record, decision }) => (decision.do === "answer" ? [{ passed, record, ...decision }] : []));
      const known = await work.ledger.answers.find(open.map((question) => question.fingerprint));
      for (const { passed, record, decision } of considered) {
        if (decision.do === "answer") continue;
        hand(passed, one, record);
        if (decision.do === "give") tally.ruled++;
        if (decision.do === "leave" && decision.state === "filled") tally.reused++;
        if (decision.do === "give") hand(passed, one, givenCells(work, { one, passed, record }, decision.rule, "preview"));
        if (decision.do === "set") hand(passed, one, setCells(work, { one, passed, record }, decision.values, decision.fingerprint, "preview"));
        countState(tally, decision.do === "give" || decision.do === "set" ? "filled" : decision.state);
      }
      for (const [index, question] of open.entries()) {
        const answer = question.fresh ? undefined : known[index]?.answer;
        if (answer) hand(question.passed, one, answeredCells(work, { one, passed: question.passed, record: question.record }, question.fingerprint, answer, "preview"));
        else waits.add(question.passed);
        if ((known[index] && !question.fresh) || asked.has(question.fingerprint)) {
          countState(tally, known[index] && known[index].answer.state !== "answered" && !question.fresh ? "failed" : "filled");
          tally.reused++;
        } else if (!mayAsk(question.passed)) {
          countState(tally, "blank");
        } else {
          tally.asked++;
          countState(tally, "filled");
          if (asked.size < MOST_REMEMBERED) asked.add(question.fingerprint);
          countPrompt(one, question.inputs, estimates.get(one)!, countTokens);
        }
      }
    }
  }
  return { ...sumTallies(Object.values(tallies)), steps: tallies, unknown, ...estimated(work, tallies, estimates, countTokens) };
}

function countPrompt({ does, rowsPerRequest }: StepWork, inputs: Parameters<Prepared["render"]>[0], estimate: Estimate, countTokens: CountTokens): void {
  if (estimate.counted >= MOST_COUNTED) return;
  const { prepared, model } = does as AskWork;
  const messages = prepared.render(inputs);
  const tokens = messages.reduce((sum, message) => sum + countTokens(message.content) + 4, 3);
  // Rows that share a request share all but their own data.
  if (rowsPerRequest > 1) estimate.sharedTokens ??= [...messages.slice(0, -1).map(({ content }) => content), prepared.pieces.answer, prepared.pieces.shared ?? ""].reduce((sum, text) => sum + countTokens(text), 0);
  estimate.tokensIn += tokens - (estimate.sharedTokens ?? 0) * (1 - 1 / rowsPerRequest);
  estimate.dearest += costOf(dearestUsage({ messages, schema: prepared.schema, maxTokens: prepared.maxTokens }), model.price);
  estimate.counted++;
}

function estimated({ steps }: Work, tallies: StepTallies, estimates: ReadonlyMap<StepWork, Estimate>, countTokens: CountTokens): Pick<Preview, "estimate" | "dearest" | "counted"> {
  const sum = { tokensIn: 0, tokensOut: 0, cost: 0, dearest: 0, counted: 0 };
  for (const one of steps) {
    const found = estimates.get(one);
    const { asked } = tallies[one.name]!;
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

function valueTokens({ spec, kind, name }: NamedShape, countTokens: CountTokens): number {
  const { maxChars, atMost, exactly } = spec as { maxChars?: number; atMost?: number; exactly?: number };
  if (kind.kind === "list") return 16 * (exactly ?? atMost ?? 4);
  if (kind.kind === "text") return Math.min(80, Math.ceil((maxChars ?? 300) / 6));
  return countTokens(name) + 2;
}
