import * as z from "zod";
import {
  answerInquiry,
  canonicalJson,
  columnsTold,
  figureTold,
  inquiryTemplate,
  prepare,
  YoroshiError,
  type Answer,
  type AskedTable,
  type InquiryColumn,
  type InquiryRow,
  type Prepared,
  type ReadInquiry,
} from "../core/index.js";
import { openAskedTable, OWN_VERSION, type Project } from "../project/index.js";
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

const SHOWN_ROWS = 20;
const SHOWN_CHARS = 200;

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
    const table = await openAsked(project, of);
    const asking = new Asking(project, fresh, context);
    const parts = await asking.ask(prepare(inquiryTemplate(table.columns)), { question, columns: columnsTold(table.columns) });
    const shown: InquiryReport["shown"] = [];
    // The template's own parts, typed by the kinds that it is made of.
    const inquired = await answerInquiry(parts as unknown as ReadInquiry, question, table, {
      ask: (prepared, inputs) => asking.ask(prepared, inputs),
      list,
      onRow: ({ key, row }) => {
        if (shown.length < rows) shown.push({ key, row: shownRow(row, table.columns) });
      },
    });
    const common = { of: table.name, question, understood: inquired.understood, ...asking.told() };
    if (inquired.back) {
      const back = { problem: inquired.back.problem, readings: [...inquired.back.readings] };
      const nothing = { value: null, counted: "", rows: 0, matched: 0, unclear: 0, shown: [], keys: [] };
      return { ...common, what: "unclear" as const, ...nothing, back };
    }
    const { inquiry, counted, how, answer, unfounded = [] } = inquired;
    return {
      ...common,
      what: inquiry.what,
      value: counted.value === undefined || counted.value === "" ? null : counted.value,
      counted: how,
      rows: counted.rows,
      matched: counted.matched,
      unclear: counted.unclear,
      ...(counted.problem === undefined ? {} : { problem: counted.problem }),
      ...(counted.where === undefined ? {} : { where: counted.where }),
      ...(inquiry.what === "figure" || inquiry.what === "each" ? { figure: figureTold(inquiry) } : {}),
      ...(inquiry.by === undefined ? {} : { by: inquiry.by }),
      ...(counted.groups ? { groups: counted.groups.map((group) => ({ ...group })) } : {}),
      ...(answer === undefined ? {} : { answer, unfounded: [...unfounded] }),
      shown,
      keys: [...counted.keys],
    };
  },
});

const openAsked = (project: Project, of: string): Promise<AskedTable> =>
  openAskedTable(
    {
      isPlan: (plan) => project.isPlan(plan),
      tables: project.tables,
      setupOf: async (plan) => (await project.fillSetup(plan, { asks: false })).setup,
    },
    of,
  );

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

function shownRow(row: InquiryRow, columns: readonly InquiryColumn[]): Record<string, string> {
  return Object.fromEntries(
    columns.map(({ name }) => {
      const value = row[name];
      const text = typeof value === "object" && value !== null ? canonicalJson(value as never) : String(value ?? "");
      return [name, text.slice(0, SHOWN_CHARS)];
    }),
  );
}
