import * as z from "zod";
import {
  canonicalJson,
  checkInquiry,
  columnsTold,
  computeInquiry,
  figureTold,
  filledRows,
  inquiryColumns,
  inquiryTemplate,
  inquiryTold,
  prepare,
  rowFor,
  targetColumns,
  unfoundedNumbers,
  wordPieces,
  wordsTemplate,
  workOf,
  YoroshiError,
  type Answer,
  type Inquiry,
  type InquiryColumn,
  type InquiryRow,
  type KeyedRow,
  type Prepared,
  type ReadInquiry,
} from "../core/index.js";
import { OWN_VERSION, type Project } from "../project/index.js";
import { defineJob, type JobContext } from "./job.js";
import { count, money } from "./schemas.js";

const cell = z.union([z.string(), z.number(), z.boolean()]);

const report = z.object({
  of: z.string(),
  question: z.string(),
  /** The question in other words. */
  understood: z.string(),
  what: z.enum(["figure", "each", "list", "read", "unclear"]),
  /** The figure; null for other answers, and where there is nothing to tell. */
  value: cell.nullable(),
  /** The figure in words, `mean of gravity`; and the column for each of whose values it is told. */
  figure: z.string().optional(),
  by: z.string().optional(),
  groups: z.array(z.object({ value: z.string(), figure: cell, rows: count })).optional(),
  /** An answer from the words of rows: by a model, not counted. */
  answer: z.string().optional(),
  /** Numbers of that answer that stand in none of the rows. */
  unfounded: z.array(z.string()).optional(),
  /** How it was counted, in words; and the conditions as CEL over `row`. */
  counted: z.string(),
  where: z.string().optional(),
  rows: count,
  matched: count,
  /** Rows that could not count, and why the first could not. */
  unclear: count,
  problem: z.string().optional(),
  /** The first rows behind the answer. */
  shown: z.array(z.object({ key: z.string(), row: z.record(z.string(), z.string()) })),
  keys: z.array(z.string()),
  /** What is asked back, where the question cannot be computed. */
  back: z.object({ problem: z.string(), readings: z.array(z.string()) }).optional(),
  model: z.string(),
  standin: z.boolean(),
  /** Whether the model's reading was known. */
  known: z.boolean(),
  spent: money,
});

export type InquiryReport = z.output<typeof report>;

/** Rows by which columns are looked at. */
const LOOKED_AT = 20_000;
const SHOWN_ROWS = 20;
const SHOWN_CHARS = 200;
const MOST_PIECES = 40;

/** Answers a question about a table: a model turns it into figures and conditions, code computes them. */
export const askTable = defineJob({
  name: "askTable",
  summary:
    "Answers a question about a table in plain words: a model turns it into figures and conditions over known columns, code computes them.",
  input: z.strictObject({
    /** A plan, or a table: a file's path, or `main:deck_log`. */
    of: z.string(),
    question: z.string().min(1).max(2_000),
    /** The rows, and the filter that finds them, whatever the question asks for. */
    list: z.boolean().optional(),
    /** Ask the model even where its reading is known. */
    fresh: z.boolean().optional(),
    /** How many rows are shown. Default 20. */
    rows: z.int().min(0).max(1_000).optional(),
  }),
  report,
  async run(project, { of, question, list = false, fresh = false, rows = SHOWN_ROWS }, context) {
    const table = await openTable(project, of);
    const asking = new Asking(project, fresh, context);
    const parts = await asking.ask(prepare(inquiryTemplate(table.columns)), { question, columns: columnsTold(table.columns) });
    // The template's own parts, typed by the kinds that it is made of.
    const read = parts as unknown as ReadInquiry;
    const checked = checkInquiry(read, table.columns);
    const common = { of: table.name, question, understood: read.understood, ...asking.told() };
    if ("back" in checked) {
      const back = { problem: checked.back.problem, readings: [...checked.back.readings] };
      const nothing = { value: null, counted: "", rows: 0, matched: 0, unclear: 0, shown: [], keys: [] };
      return { ...common, what: "unclear" as const, ...nothing, back };
    }
    const inquiry: Inquiry = list ? { ...checked.inquiry, what: "list" } : checked.inquiry;
    const texts = textColumns(table.columns, inquiry);
    const shown: InquiryReport["shown"] = [];
    const words: string[] = [];
    const counted = await computeInquiry(inquiry, table.columns, table.rows(), {
      onRow: ({ key, row }) => {
        if (shown.length < rows) shown.push({ key, row: shownRow(row, table.columns) });
        if (inquiry.what === "read")
          words.push(
            `${key}: ${texts
              .map((column) => String(row[column] ?? ""))
              .join(" ")
              .replace(/\s+/g, " ")}`,
          );
      },
    });
    const result = {
      ...common,
      what: inquiry.what,
      value: counted.value === undefined || counted.value === "" ? null : counted.value,
      counted: inquiryTold(inquiry, counted.rows, counted.matched),
      rows: counted.rows,
      matched: counted.matched,
      unclear: counted.unclear,
      ...(counted.problem === undefined ? {} : { problem: counted.problem }),
      ...(counted.where === undefined ? {} : { where: counted.where }),
      ...(inquiry.what === "figure" || inquiry.what === "each" ? { figure: figureTold(inquiry) } : {}),
      ...(inquiry.by === undefined ? {} : { by: inquiry.by }),
      ...(counted.groups ? { groups: counted.groups.map((group) => ({ ...group })) } : {}),
      shown,
      keys: [...counted.keys],
    };
    if (inquiry.what !== "read") return result;
    const { answer, counted: how } = await fromWords(asking, question, words);
    return {
      ...result,
      ...asking.told(),
      answer,
      unfounded: unfoundedNumbers(answer, words, [counted.rows, counted.matched]),
      counted: `${result.counted}${how}`,
    };
  },
});

/** An answer from the words of rows, condensed piece by piece. */
async function fromWords(asking: Asking, question: string, words: readonly string[]): Promise<{ answer: string; counted: string }> {
  if (words.length === 0) return { answer: "No row is about it.", counted: "" };
  const prepared = prepare(wordsTemplate());
  const ask = async (rows: string): Promise<string> => String((await asking.ask(prepared, { question, rows }))["answer"]);
  const all = wordPieces(words);
  let pieces = all.slice(0, MOST_PIECES);
  const left = all.length > MOST_PIECES ? `; of them only the first, in ${MOST_PIECES} pieces` : "";
  for (;;) {
    const found = [];
    for (const piece of pieces) found.push(await ask(piece));
    if (found.length === 1) return { answer: found[0]!, counted: `, by a model${left}` };
    pieces = wordPieces(found);
  }
}

/** Asks the project's first model; counts what it cost. */
class Asking {
  #spent = 0;
  #known = true;
  #model = "";
  #isStandin = false;

  constructor(
    readonly project: Project,
    readonly fresh: boolean,
    readonly context: JobContext,
  ) {}

  async ask(prepared: Prepared, inputs: Readonly<Record<string, string>>): Promise<Readonly<Record<string, unknown>>> {
    const { project, fresh } = this;
    const opened = await project.models.open(undefined);
    const models = { ...opened, others: {} };
    this.#model = opened.model.id;
    this.#isStandin = opened.isStandin;
    const asked = { subject: "inquiry", prepared, version: OWN_VERSION, models, inputs };
    const { admit, signal } = this.context;
    const { answer, known } = await project.asking.ask(asked, { fresh, admit, signal });
    if (!known) {
      this.#known = false;
      this.#spent += answer.spent;
    }
    return partsOf(answer);
  }

  told(): { readonly model: string; readonly standin: boolean; readonly known: boolean; readonly spent: number } {
    return { model: this.#model, standin: this.#isStandin, known: this.#known, spent: this.#spent / 1e6 };
  }
}

/** @throws YoroshiError `badOption` for a reply that was no answer. */
function partsOf(answer: Answer): Readonly<Record<string, unknown>> {
  if (answer.state === "answered") return answer.parts;
  throw new YoroshiError("badOption", {
    option: "question",
    problem: `the model gave no usable reading of it (${answer.state}). Ask it in other words.`,
  });
}

interface Asked {
  readonly name: string;
  readonly columns: readonly InquiryColumn[];
  rows(): AsyncIterable<readonly KeyedRow[]>;
}

async function openTable(project: Project, of: string): Promise<Asked> {
  if (await project.isPlan(of)) return openPlan(project, of);
  const source = await project.tables.rows(project.tables.named(of));
  async function* rows(): AsyncIterable<readonly KeyedRow[]> {
    let number = 0;
    for await (const some of source.rows()) yield some.map((row) => ({ key: `row ${++number}`, row }));
  }
  const columns = inquiryColumns(await source.columns(), await firstRows(rows()));
  return { name: source.name, columns, rows };
}

async function openPlan(project: Project, of: string): Promise<Asked> {
  const { setup } = await project.fillSetup(of, { asks: false });
  async function* rows(): AsyncIterable<readonly KeyedRow[]> {
    for await (const { rows: some } of filledRows(setup))
      yield some
        .filter(({ row }) => row.problem === undefined)
        .map((passed) => ({ key: passed.row.key, row: { ...rowFor(passed), ...passed.row.numbers } }));
  }
  const names = [...new Set([...(await setup.table.columns()), ...targetColumns(setup).map(({ name }) => name)])];
  return { name: setup.plan.name, columns: inquiryColumns(names, await firstRows(rows()), workOf(setup)), rows };
}

async function firstRows(rows: AsyncIterable<readonly KeyedRow[]>): Promise<InquiryRow[]> {
  const first: InquiryRow[] = [];
  for await (const some of rows) {
    first.push(...some.map(({ row }) => row));
    if (first.length >= LOOKED_AT) break;
  }
  return first;
}

/** The columns whose words answer what cannot be counted. */
function textColumns(columns: readonly InquiryColumn[], { of }: Inquiry): string[] {
  const texts = columns.filter(({ holds }) => holds === "words").map(({ name }) => name);
  return of !== undefined && texts.includes(of) ? [of] : texts;
}

function shownRow(row: InquiryRow, columns: readonly InquiryColumn[]): Record<string, string> {
  return Object.fromEntries(
    columns.map(({ name }) => {
      const value = row[name];
      const text = typeof value === "object" && value !== null ? canonicalJson(value as never) : String(value ?? "");
      return [name, text.slice(0, SHOWN_CHARS)];
    }),
  );
}
