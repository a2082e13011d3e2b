import { markupReady, patternsReady, remark, type Json } from "../ground/index.js";
import { BudgetSpent, costOf, guessUsage, ModelFailure, type AskedModel, type ModelReply, type ModelRequest } from "../model/index.js";
import { hasSources, renderTogether, ROW_MARK, rowMarks, schemaTogether, type Prepared } from "../template/index.js";
import type { Answer, Exchange } from "./answer.js";
import type { AskOptions } from "./ask-options.js";
import { answerFrom, askPrepared, firstSettings } from "./ask.js";
import { tooLong } from "./too-long.js";
import { Conversation } from "./conversation.js";
import { findJson } from "./find-json.js";
import { checked, requestOf, type Outcome } from "./question.js";
import { readMembers } from "./read-reply.js";

/** The answer about one of several rows, by the row's number. */
export interface AnswerOf<Parts = Record<string, Json>> {
  readonly row: number;
  readonly answer: Answer<Parts>;
}

/**
 * Asks about several rows in one request. Each item of the reply is matched by the mark of its row; a row whose item is
 * missing, doubled, broken or does not fit is asked about again alone, and so is every row where the reply as a whole
 * is of no use. What comes after the first reply (further asks, a second look) is done for each row by itself. A row with
 * an input that is condensed first is asked alone, and rows that would not fit the model's context, or
 * what is left of a cap, go in two requests.
 *
 * @returns the answers, each as soon as it stands, the rows in any order.
 * @throws ModelFailure that is final, BudgetSpent; rows that were not yielded by then have no answer.
 */
export async function* askTogether(
  prepared: Prepared,
  rows: readonly Readonly<Record<string, Json>>[],
  options: AskOptions,
): AsyncGenerator<AnswerOf> {
  await patternsReady();
  await markupReady();
  const isAlone = rows.map((inputs) => hasSources(prepared) || tooLong(prepared, inputs).length > 0);
  yield* someTogether(
    prepared,
    [...rows.keys()].filter((row) => !isAlone[row]).map((row) => ({ row, inputs: rows[row]! })),
    options,
  );
  for (const [row, inputs] of rows.entries()) if (isAlone[row]) yield { row, answer: await askPrepared(prepared, inputs, options) };
}

interface NumberedRow {
  readonly row: number;
  readonly inputs: Readonly<Record<string, Json>>;
}

async function* someTogether(prepared: Prepared, rows: readonly NumberedRow[], options: AskOptions): AsyncGenerator<AnswerOf> {
  const { clock, model, signal } = options;
  if (rows.length === 0) return;
  const marks = rowMarks(rows.map(({ inputs }) => inputs));
  const messages = renderTogether(
    prepared,
    rows.map(({ inputs }, index) => ({ mark: marks[index]!, inputs })),
  );
  const request: ModelRequest = {
    ...requestOf(prepared, messages, firstSettings(prepared, options)),
    schema: schemaTogether(prepared),
    maxTokens: prepared.maxTokens * rows.length,
  };
  const inHalves = async function* (): AsyncGenerator<AnswerOf> {
    const half = Math.ceil(rows.length / 2);
    yield* someTogether(prepared, rows.slice(0, half), options);
    yield* someTogether(prepared, rows.slice(half), options);
  };
  if (rows.length > 1 && model.context !== undefined && guessUsage(request, "").tokensIn + request.maxTokens > model.context)
    return yield* inHalves();
  const began = clock.now();
  let reply: ModelReply | undefined;
  try {
    reply = await model.ask(request, signal);
  } catch (error) {
    // What is left of the cap may still do for fewer rows.
    if (error instanceof BudgetSpent && rows.length > 1) return yield* inHalves();
    if (!(error instanceof ModelFailure)) throw error;
    if (error.mayPass) {
      for (const { row } of rows)
        yield {
          row,
          answer: {
            state: "failed",
            reason: remark("modelFailed", { problem: error.message }),
            raw: "",
            notes: [],
            ...new Conversation(clock, signal).facts(),
          },
        };
      return;
    }
    // Too much for one request, perhaps: each row alone shows whether it is that.
    if (error.kind !== "rejected") throw error;
  }
  const shares = reply ? sharesOf(reply, rows.length, model, request) : [];
  const ownMs = (clock.now() - began) / rows.length;
  const items = reply && isUsable(reply) ? await itemsByMark(reply) : new Map<string, Item[]>();
  const firsts = await Promise.all(rows.map(({ inputs }, index) => readItem(prepared, inputs, items.get(marks[index]!))));
  // Those that the reply answers come first; asking about the others again may fail.
  for (const isAnswered of [true, false]) {
    for (const [index, { row, inputs }] of rows.entries()) {
      const first = firsts[index];
      if ((first !== undefined) !== isAnswered) continue;
      const note = isAnswered ? remark("askedWith", { rows: rows.length - 1 }) : remark("askedAlone", { rows: rows.length });
      const talk = new Conversation(clock, signal);
      if (shares[index]) talk.share(shares[index], index > 0, Math.round(ownMs));
      yield { row, answer: await answerFrom(prepared, talk, options, async () => ({ inputs, notes: [note], first })) };
    }
  }
}

const isUsable = ({ finish }: ModelReply): boolean => finish !== "refused" && finish !== "filtered";

type Item = Readonly<Record<string, unknown>>;

/** The items of a reply by the marks of their rows. A reply that was cut short has no trustworthy last item. */
async function itemsByMark({ text, finish }: ModelReply): Promise<Map<string, Item[]>> {
  const found = await findJson(text.trim().startsWith("[") ? `{"answers":${text.trim()}}` : text);
  const answers = (found?.value as { answers?: unknown } | undefined)?.answers;
  const items: unknown[] = Array.isArray(answers)
    ? finish === "length" || found?.how === "repaired"
      ? answers.slice(0, -1)
      : answers
    : [];
  const byMark = new Map<string, Item[]>();
  for (const item of items) {
    if (item === null || typeof item !== "object") continue;
    const mark = String((item as Item)[ROW_MARK] ?? "")
      .trim()
      .replace(/^row\s+/i, "")
      .toLowerCase();
    byMark.set(mark, [...(byMark.get(mark) ?? []), item as Item]);
  }
  return byMark;
}

async function readItem(
  prepared: Prepared,
  inputs: Readonly<Record<string, Json>>,
  items: readonly Item[] | undefined,
): Promise<Extract<Outcome, { state: "answered" }> | undefined> {
  const [only, second] = items ?? [];
  if (!only || second) return undefined;
  const { [ROW_MARK]: _, ...members } = only;
  const reading = await checked(prepared, inputs, readMembers(prepared.askedFor(inputs), members));
  if (!reading.ok || reading.unfounded.length > 0) return undefined;
  return { state: "answered", ...reading, messages: prepared.render(inputs), reply: { text: JSON.stringify(members), finish: "stop" } };
}

/** Shares tokens and cost of one request evenly, exact to the last of each; the first rows take what is over. */
function sharesOf(reply: ModelReply, rows: number, model: AskedModel, request: ModelRequest): Exchange[] {
  const usage = reply.usage ?? guessUsage(request, reply.text);
  const spent = costOf(usage, model.price);
  const share = (whole: number, row: number): number => Math.floor(whole / rows) + (row < whole % rows ? 1 : 0);
  return Array.from({ length: rows }, (_, row) => ({
    why: "asked with others",
    model: model.id,
    raw: row === 0 ? reply.text : "",
    usage: { tokensIn: share(usage.tokensIn, row), tokensOut: share(usage.tokensOut, row) },
    spent: share(spent, row),
  }));
}
