import { plural, type Json } from "../ground/index.js";
import { prepare, type Prepared } from "../template/index.js";
import { shownCell } from "../table/index.js";
import type { AskedTable } from "./asked-table.js";
import type { InquiryColumn } from "./columns.js";
import { computeInquiry, type Counted, type KeyedRow } from "./compute.js";
import { checkInquiry, inquiryTold, type AskBack, type Inquiry, type ReadInquiry } from "./inquiry.js";
import { unfoundedNumbers, wordPieces, wordsTemplate } from "./read-words.js";

/** What a question came to: a figure, figures of groups, rows, or an answer from their words; or what is to be asked back. */
export type Inquired =
  | { readonly back: AskBack; readonly understood: string }
  | {
      readonly back?: undefined;
      readonly understood: string;
      readonly inquiry: Inquiry;
      readonly counted: Counted;
      /** How it was counted, in words. */
      readonly how: string;
      /** An answer from the words of rows: by a model, not counted. */
      readonly answer?: string | undefined;
      /** Numbers of that answer that stand in none of the rows. */
      readonly unfounded?: readonly string[] | undefined;
    };

export interface InquiredOptions {
  /** Asks a model something further; gives the answer's parts. */
  ask(prepared: Prepared, inputs: Readonly<Record<string, string>>): Promise<Readonly<Record<string, unknown>>>;
  /** The rows, whatever the question asks for. */
  readonly list?: boolean | undefined;
  /** Told of each row behind the answer. */
  readonly onRow?: ((row: KeyedRow) => void) | undefined;
}

const MOST_PIECES = 40;

/** What a model read is held against the columns, and computed; what cannot be counted is answered from the rows' words. */
export async function answerInquiry(read: ReadInquiry, question: string, table: AskedTable, options: InquiredOptions): Promise<Inquired> {
  const checked = checkInquiry(read, table.columns);
  const { understood } = read;
  if ("back" in checked) return { back: checked.back, understood };
  const inquiry: Inquiry = options.list ? { ...checked.inquiry, what: "list" } : checked.inquiry;
  const texts = textColumns(table.columns, inquiry);
  const words: string[] = [];
  const counted = await computeInquiry(inquiry, table.columns, table.rows(), {
    onRow: (keyed) => {
      options.onRow?.(keyed);
      if (inquiry.what === "read") words.push(`${keyed.key}: ${wordsOf(keyed, texts)}`);
    },
  });
  const how = inquiryTold(inquiry, counted.rows, counted.matched);
  if (inquiry.what !== "read") return { understood, inquiry, counted, how };
  const { answer, left } = await fromWords(question, words, options);
  const unfounded = unfoundedNumbers(answer, words, [counted.rows, counted.matched]);
  return { understood, inquiry, counted, how: `${how}${left}`, answer, unfounded };
}

const wordsOf = ({ row }: KeyedRow, texts: readonly string[]): string =>
  texts
    .map((column) => shownCell(row[column]))
    .join(" ")
    .replace(/\s+/g, " ");

/** An answer from the words of rows, condensed piece by piece. */
async function fromWords(
  question: string,
  words: readonly string[],
  { ask }: InquiredOptions,
): Promise<{ readonly answer: string; readonly left: string }> {
  if (words.length === 0) return { answer: "No row is about it.", left: "" };
  const prepared = prepare(wordsTemplate());
  const all = wordPieces(words);
  const left = all.length > MOST_PIECES ? `; of them only the first, in ${MOST_PIECES} pieces` : "";
  for (let pieces = all.slice(0, MOST_PIECES); ;) {
    const found: string[] = [];
    for (const rows of pieces) found.push(String((await ask(prepared, { question, rows }))["answer"]));
    if (found.length === 1) return { answer: found[0]!, left: `, by a model${left}` };
    pieces = wordPieces(found);
  }
}

/** The columns whose words answer what cannot be counted. */
function textColumns(columns: readonly InquiryColumn[], { of }: Inquiry): string[] {
  const texts = columns.filter(({ holds }) => holds === "words").map(({ name }) => name);
  return of !== undefined && texts.includes(of) ? [of] : texts;
}

const MOST_TOLD = 20;

/** An answer as one cell holds it. */
export function answerText({ inquiry, counted, answer }: Extract<Inquired, { back?: undefined }>): string {
  if (answer !== undefined) return answer;
  if (inquiry.what === "list") return plural(counted.matched, "row");
  if (counted.groups) {
    const told = counted.groups.slice(0, MOST_TOLD).map(({ value, figure }) => `${value}: ${figureText(inquiry, figure)}`);
    const more = counted.groups.length - told.length;
    return `${told.join("; ")}${more > 0 ? `; and ${more} more` : ""}`;
  }
  return counted.value === undefined || counted.value === "" ? "" : figureText(inquiry, counted.value);
}

/** A share in percent, other numbers with at most four decimals. */
export function figureText({ figure }: Pick<Inquiry, "figure">, value: Json): string {
  if (typeof value !== "number") return String(value as string | boolean);
  return figure === "share" ? `${(100 * value).toFixed(1)} %` : String(Math.round(value * 1e4) / 1e4);
}
